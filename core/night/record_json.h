#pragma once

#include "core/base/angle.h"
#include "core/base/fields.h"
#include "core/base/identity.h"
#include "core/base/time.h"
#include "core/calibrate/apply.h"
#include "core/calibrate/match.h"
#include "core/catalog/band.h"
#include "core/combine/combine.h"
#include "core/frame/frame_info.h"
#include "core/frame/wcs.h"
#include "core/measure/coma_centroid.h"
#include "core/night/calibration_settings.h"
#include "core/night/records.h"
#include "core/picture/layered_picture.h"

#include <nlohmann/json.hpp>

#include <array>
#include <cmath>
#include <filesystem>
#include <limits>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

// Records as JSON and back, from their lists of fields. Include it in the file that stores or reads a kind of record,
// nowhere else: it is heavy to compile. Reading throws nlohmann's exceptions on damaged text; a field that is
// missing keeps its default, so that records grow without breaking older night files.
namespace pathmark::night {

/// A path as text that JSON can hold: bytes that are no UTF-8 are written as %XX behind a mark.
std::string pathText(const std::filesystem::path& path);
std::filesystem::path pathFrom(const std::string& text);

namespace record_json {

using nlohmann::json;

template <typename T>
struct EnumWords;

#define PATHMARK_ENUM_WORDS(Type, read)                                                            \
    template <>                                                                                    \
    struct EnumWords<Type> {                                                                       \
        static std::optional<Type> of(const std::string& word) { return read(word); }              \
    };
PATHMARK_ENUM_WORDS(frame::FrameKind, frame::frameKindNamed)
PATHMARK_ENUM_WORDS(MeasurementState, measurementStateNamed)
PATHMARK_ENUM_WORDS(HandModel, handModelNamed)
PATHMARK_ENUM_WORDS(SendingState, sendingStateNamed)
PATHMARK_ENUM_WORDS(catalog::Band, catalog::bandNamed)
PATHMARK_ENUM_WORDS(combine::Combination, combine::combinationNamed)
PATHMARK_ENUM_WORDS(calibrate::Colour, calibrate::colourNamed)
PATHMARK_ENUM_WORDS(WithoutFlats, withoutFlatsNamed)
PATHMARK_ENUM_WORDS(calibrate::Role, calibrate::roleNamed)
PATHMARK_ENUM_WORDS(measure::ComaCentroid, measure::comaCentroidNamed)
PATHMARK_ENUM_WORDS(picture::White, picture::whiteNamed)
PATHMARK_ENUM_WORDS(picture::Shown, picture::shownNamed)
#undef PATHMARK_ENUM_WORDS

template <typename T>
struct Converter;

template <typename T>
json write(const T& value) {
    return Converter<T>::write(value);
}

template <typename T>
T read(const json& value) {
    return Converter<T>::read(value);
}

/// Records, enumerations and plain values.
template <typename T>
struct Converter {
    static json write(const T& value) {
        if constexpr (kIsRecord<T>) {
            json object = json::object();
            forEachField(value, [&](const char* name, const auto& field) {
                object[name] = record_json::write(field);
            });
            return object;
        } else if constexpr (std::is_enum_v<T>) {
            return std::string(name(value));
        } else if constexpr (std::is_floating_point_v<T>) {
            return std::isfinite(value) ? json(value) : json();
        } else {
            return json(value);
        }
    }

    static T read(const json& value) {
        if constexpr (kIsRecord<T>) {
            T record{};
            forEachField(record, [&](const char* name, auto& field) {
                if (const auto found = value.find(name); found != value.end()) {
                    field = record_json::read<std::remove_reference_t<decltype(field)>>(*found);
                }
            });
            return record;
        } else if constexpr (std::is_enum_v<T>) {
            const auto known = EnumWords<T>::of(value.get<std::string>());
            if (!known) {
                throw std::invalid_argument("no such word: " + value.get<std::string>());
            }
            return *known;
        } else if constexpr (std::is_floating_point_v<T>) {
            return value.is_null() ? std::numeric_limits<T>::quiet_NaN() : value.get<T>();
        } else {
            return value.get<T>();
        }
    }
};

template <typename T>
struct Converter<std::optional<T>> {
    static json write(const std::optional<T>& value) {
        return value ? record_json::write(*value) : json();
    }

    static std::optional<T> read(const json& value) {
        return value.is_null() ? std::nullopt : std::optional<T>(record_json::read<T>(value));
    }
};

template <typename T>
struct Converter<std::vector<T>> {
    static json write(const std::vector<T>& values) {
        json list = json::array();
        for (const T& value : values) {
            list.push_back(record_json::write(value));
        }
        return list;
    }

    static std::vector<T> read(const json& list) {
        std::vector<T> values;
        for (const json& value : list) {
            values.push_back(record_json::read<T>(value));
        }
        return values;
    }
};

template <typename A, typename B>
struct Converter<std::pair<A, B>> {
    static json write(const std::pair<A, B>& value) {
        return json::array({record_json::write(value.first), record_json::write(value.second)});
    }

    static std::pair<A, B> read(const json& value) {
        return {record_json::read<A>(value.at(0)), record_json::read<B>(value.at(1))};
    }
};

template <typename Tag>
struct Converter<Identity<Tag>> {
    static json write(const Identity<Tag>& id) { return id.text(); }

    static Identity<Tag> read(const json& value) { return Identity<Tag>(value.get<std::string>()); }
};

template <>
struct Converter<orbit::BodyId> {
    static json write(const orbit::BodyId& body) { return body.text(); }

    static orbit::BodyId read(const json& value) {
        return orbit::BodyId::of(value.get<std::string>());
    }
};

template <>
struct Converter<std::filesystem::path> {
    static json write(const std::filesystem::path& path) { return pathText(path); }

    static std::filesystem::path read(const json& value) {
        return pathFrom(value.get<std::string>());
    }
};

template <>
struct Converter<Angle> {
    static json write(Angle angle) { return angle.radians(); }

    static Angle read(const json& value) { return Angle::radians(value.get<double>()); }
};

template <>
struct Converter<Utc> {
    static json write(const Utc& time) { return json::array({time.day(), time.fraction()}); }

    static Utc read(const json& value) {
        return Utc::julian(value.at(0).get<double>(), value.at(1).get<double>());
    }
};

template <>
struct Converter<SkyPos> {
    static json write(const SkyPos& sky) {
        return json::array({sky.longitude.radians(), sky.latitude.radians()});
    }

    static SkyPos read(const json& value) {
        return {Angle::radians(value.at(0).get<double>()),
                Angle::radians(value.at(1).get<double>())};
    }
};

template <>
struct Converter<frame::PixelPos> {
    static json write(frame::PixelPos p) { return json::array({p.x, p.y}); }

    static frame::PixelPos read(const json& value) {
        return {value.at(0).get<double>(), value.at(1).get<double>()};
    }
};

template <>
struct Converter<frame::SipPolynomial> {
    static json write(const frame::SipPolynomial& polynomial) {
        json terms = json::array();
        for (int p = 0; p <= polynomial.order(); ++p) {
            for (int q = 0; p + q <= polynomial.order() && polynomial.order() > 0; ++q) {
                terms.push_back(polynomial.coefficient(p, q));
            }
        }
        return json{{"order", polynomial.order()}, {"terms", terms}};
    }

    static frame::SipPolynomial read(const json& value) {
        const int order = value.at("order").get<int>();
        if (order == 0) {
            return {};
        }
        frame::SipPolynomial polynomial(order);
        std::size_t at = 0;
        for (int p = 0; p <= order; ++p) {
            for (int q = 0; p + q <= order; ++q) {
                polynomial.setCoefficient(p, q, value.at("terms").at(at++).get<double>());
            }
        }
        return polynomial;
    }
};

template <>
struct Converter<frame::Wcs> {
    static json write(const frame::Wcs& wcs) {
        return json{{"sky", record_json::write(wcs.referenceSky)},
                    {"pixel", record_json::write(wcs.referencePixel)},
                    {"cd", wcs.cd},
                    {"a", record_json::write(wcs.a)},
                    {"b", record_json::write(wcs.b)},
                    {"ap", record_json::write(wcs.ap)},
                    {"bp", record_json::write(wcs.bp)}};
    }

    static frame::Wcs read(const json& value) {
        frame::Wcs wcs;
        wcs.referenceSky = record_json::read<SkyPos>(value.at("sky"));
        wcs.referencePixel = record_json::read<frame::PixelPos>(value.at("pixel"));
        wcs.cd = value.at("cd").get<std::array<double, 4>>();
        wcs.a = record_json::read<frame::SipPolynomial>(value.at("a"));
        wcs.b = record_json::read<frame::SipPolynomial>(value.at("b"));
        wcs.ap = record_json::read<frame::SipPolynomial>(value.at("ap"));
        wcs.bp = record_json::read<frame::SipPolynomial>(value.at("bp"));
        return wcs;
    }
};

} // namespace record_json
} // namespace pathmark::night
