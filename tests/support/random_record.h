#pragma once

#include "core/base/fields.h"
#include "core/base/identity.h"
#include "core/base/time.h"
#include "core/calibrate/apply.h"
#include "core/calibrate/match.h"
#include "core/catalog/band.h"
#include "core/frame/wcs.h"
#include "core/night/calibration_settings.h"
#include "core/night/records.h"

#include <array>
#include <cmath>
#include <filesystem>
#include <optional>
#include <random>
#include <string>
#include <vector>

// Records of random values, from their lists of fields. Every field gets a value that is not its default, whatever its type.
namespace pathmark::test_support {

class RandomRecord {
  public:
    explicit RandomRecord(unsigned seed) : random_(seed) {}

    template <typename T>
    void fill(T& value) {
        if constexpr (kIsRecord<T>) {
            forEachField(value, [&](const char*, auto& field) { fill(field); });
        } else if constexpr (std::is_same_v<T, bool>) {
            value = random_() % 2 == 0;
        } else if constexpr (std::is_enum_v<T>) {
            value = anyOf<T>();
        } else if constexpr (std::is_integral_v<T>) {
            value = static_cast<T>(1 + random_() % 30000);
        } else if constexpr (std::is_floating_point_v<T>) {
            value = static_cast<T>(real());
        } else {
            fillOther(value);
        }
    }

    template <typename T>
    T make() {
        T value{};
        fill(value);
        return value;
    }

  private:
    /// Over many magnitudes, so that a printed digit too few is seen.
    double real() {
        const double mantissa = std::uniform_real_distribution<double>(1.0, 10.0)(random_);
        const int power = static_cast<int>(random_() % 25) - 12;
        return (random_() % 2 == 0 ? 1.0 : -1.0) * mantissa * std::pow(10.0, power);
    }

    std::string word() {
        // Whatever a header or a person may write.
        static const std::array<std::string, 8> parts{
            "a", "Ωé", "\"", "\\", ",|", " ", "\t", "2034 EW2"};
        std::string text = "x";
        for (unsigned i = 0; i < 1 + random_() % 6; ++i) {
            text += parts[random_() % parts.size()];
        }
        return text;
    }

    template <typename E>
    E anyOf() {
        if constexpr (std::is_same_v<E, frame::FrameKind>) {
            return static_cast<E>(random_() % 6);
        } else if constexpr (std::is_same_v<E, catalog::Band>) {
            return static_cast<E>(random_() % 5);
        } else if constexpr (std::is_same_v<E, calibrate::Role>) {
            return static_cast<E>(random_() % 7);
        } else {
            return static_cast<E>(random_() % 3);
        }
    }

    void fillOther(std::string& value) { value = word(); }

    void fillOther(std::filesystem::path& value) {
        value =
            "/n/" + std::to_string(random_() % 1000) + (random_() % 3 == 0 ? "\xff.fits" : ".fits");
    }

    void fillOther(orbit::BodyId& value) {
        value = orbit::BodyId::of("(" + std::to_string(1 + random_() % 900000) + ")");
    }

    void fillOther(Angle& value) { value = Angle::radians(real()); }

    void fillOther(Utc& value) {
        value = Utc::julian(2464000.0 + static_cast<double>(random_() % 1000), real() * 1e-13);
    }

    void fillOther(SkyPos& value) { value = {make<Angle>(), make<Angle>()}; }

    void fillOther(frame::PixelPos& value) { value = {real(), real()}; }

    void fillOther(frame::SipPolynomial& value) {
        const int order = static_cast<int>(random_() % 4);
        if (order == 0) {
            value = {};
            return;
        }
        value = frame::SipPolynomial(order);
        for (int p = 0; p <= order; ++p) {
            for (int q = 0; p + q <= order; ++q) {
                value.setCoefficient(p, q, real());
            }
        }
    }

    void fillOther(frame::Wcs& value) {
        fill(value.referenceSky);
        fill(value.referencePixel);
        fill(value.cd);
        fill(value.a);
        fill(value.b);
        fill(value.ap);
        fill(value.bp);
    }

    template <typename Tag>
    void fillOther(Identity<Tag>& value) {
        value = Identity<Tag>(std::to_string(random_()));
    }

    template <typename T>
    void fillOther(std::optional<T>& value) {
        value = random_() % 3 == 0 ? std::nullopt : std::optional(make<T>());
    }

    template <typename T>
    void fillOther(std::vector<T>& value) {
        value.clear();
        for (unsigned i = 0; i < random_() % 4; ++i) {
            value.push_back(make<T>());
        }
    }

    template <typename T, std::size_t N>
    void fillOther(std::array<T, N>& value) {
        for (T& one : value) {
            fill(one);
        }
    }

    std::mt19937 random_;
};

/// Stand for any member of an aggregate; an optional takes anything that its value takes, so it has one of its own.
struct AnyValue {
    template <typename T>
    operator T() const; // NOLINT(google-explicit-constructor)
};

struct AnyOptional {
    template <typename T>
    operator std::optional<T>() const; // NOLINT(google-explicit-constructor)
};

/// How many members an aggregate has, as the compiler counts them: a list of fields can be held against it.
template <typename T, typename... Members>
constexpr std::size_t memberCount() {
    if constexpr (requires { T{Members{}..., AnyOptional{}}; }) {
        return memberCount<T, Members..., AnyOptional>();
    } else if constexpr (requires { T{Members{}..., AnyValue{}}; }) {
        return memberCount<T, Members..., AnyValue>();
    } else {
        return sizeof...(Members);
    }
}

} // namespace pathmark::test_support
