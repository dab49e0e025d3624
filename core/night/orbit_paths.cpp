#include "core/night/orbit_paths.h"

#include "core/base/linear.h"
#include "core/orbit/determine/orbit_family.h"
#include "core/orbit/place/ephemeris.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <tuple>

namespace pathmark::night {
namespace {

constexpr double kSmallStep = 0.05;   ///< of the error, by which directions are told
constexpr double kWithoutError = 0.1; ///< days early or late, where no error is stated

/// One orbit over the time of the frames.
class OrbitPath : public LostPath {
  public:
    static Result<std::unique_ptr<LostPath>>
    make(const orbit::Elements& elements, const LostBody& body, const Utc& from, const Utc& to) {
        auto motion = orbit::Ephemeris::make(
            elements, body.tables.planets, from.plusSeconds(-60.0), to.plusSeconds(60.0));
        if (!motion) {
            return fail(motion.error());
        }
        return std::unique_ptr<LostPath>(new OrbitPath(std::move(*motion), body));
    }

    [[nodiscard]] Result<SkyPos> at(const Utc& time) const override {
        const auto observer =
            orbit::observerAt(body_->tables.planets, body_->site, time, body_->tables.turn);
        return observer ? Result<SkyPos>(motion_.directionFrom(*observer)) : fail(observer.error());
    }

  private:
    OrbitPath(orbit::Ephemeris motion, const LostBody& body)
        : motion_(std::move(motion)), body_(&body) {}

    orbit::Ephemeris motion_;
    const LostBody* body_;
};

class OrbitPaths : public LostPaths {
  public:
    static Result<std::unique_ptr<LostPaths>>
    make(const LostBody& body,
         std::span<const StackLight> lights,
         const std::vector<std::vector<std::size_t>>& fields) {
        std::unique_ptr<OrbitPaths> made(new OrbitPaths(body));
        OrbitPaths& family = *made;
        std::tie(family.from_, family.to_) = spanOf(lights);
        if (body.elements->covariance) {
            if (auto found = family.findDirections(lights, fields); !found) {
                return fail(found.error());
            }
        }
        return std::unique_ptr<LostPaths>(std::move(made));
    }

    [[nodiscard]] std::size_t coordinates() const override { return coordinates_; }

    /// Without a stated error the body is anywhere.
    [[nodiscard]] double logLikelyAlong(double q) const override {
        return covariance_ ? -0.5 * kLineSigmas * kLineSigmas * q * q : 0.0;
    }

    [[nodiscard]] std::array<double, 2> asideSigmas() const override {
        return {kLineSigmas, kLineSigmas};
    }

    [[nodiscard]] Result<std::unique_ptr<LostPath>>
    pathOf(const std::array<double, 3>& q) const override {
        return OrbitPath::make(at(q), *body_, from_, to_);
    }

  private:
    [[nodiscard]] orbit::Elements at(const std::array<double, 3>& q) const {
        if (!covariance_) {
            orbit::Elements late = *body_->elements;
            late.perihelionTime =
                late.perihelionTime.plusSeconds(q[0] * kWithoutError * kSecondsPerDay);
            return late;
        }
        orbit::OrbitFamily::Sigmas sigmas{};
        for (std::size_t d = 0; d < 3; ++d) {
            for (std::size_t k = 0; k < sigmas.size(); ++k) {
                sigmas[k] += kLineSigmas * q[d] * directions_[d][k];
            }
        }
        return covariance_->at(sigmas);
    }

    explicit OrbitPaths(const LostBody& body) : body_(&body) {
        if (body.elements->covariance) {
            covariance_.emplace(*body.elements);
        }
    }

    /// The directions among the axes that move the body most on the sky, over all fields.
    Result<bool> findDirections(std::span<const StackLight> lights,
                                const std::vector<std::vector<std::size_t>>& fields) {
        constexpr auto axes = orbit::OrbitFamily::kAxes;
        const auto middle = OrbitPath::make(covariance_->at({}), *body_, from_, to_);
        if (!middle) {
            return fail(middle.error());
        }
        const auto count = static_cast<Eigen::Index>(2 * fields.size());
        Eigen::MatrixXd moved(count, static_cast<Eigen::Index>(axes));
        double width = std::numeric_limits<double>::max();
        for (std::size_t k = 0; k < axes; ++k) {
            orbit::OrbitFamily::Sigmas one{};
            one[k] = kSmallStep;
            const auto way = OrbitPath::make(covariance_->at(one), *body_, from_, to_);
            if (!way) {
                return fail(way.error());
            }
            for (std::size_t f = 0; f < fields.size(); ++f) {
                const StackLight& light = lights[fields[f][fields[f].size() / 2]];
                const auto there = (*way)->at(light.middle);
                const auto here = (*middle)->at(light.middle);
                if (!there || !here) {
                    return fail(there ? here.error() : there.error());
                }
                const PlanePos off = toTangentPlane(*here, *there);
                const auto row = static_cast<Eigen::Index>(2 * f);
                const auto column = static_cast<Eigen::Index>(k);
                moved(row, column) = off.xi / kRadiansPerArcsec / kSmallStep;
                moved(row + 1, column) = off.eta / kRadiansPerArcsec / kSmallStep;
                width = std::min(width, light.starArcsec());
            }
        }
        const PrincipalAxes principal =
            principalAxesOf(pathmark::productOf(Eigen::MatrixXd(moved.transpose()), moved) /
                            static_cast<double>(fields.size()));
        coordinates_ = 1;
        for (std::size_t d = 0; d < 3; ++d) {
            const auto column = static_cast<Eigen::Index>(axes - 1 - d);
            const double arcsec = kLineSigmas * std::sqrt(std::max(0.0, principal.values[column]));
            for (std::size_t k = 0; k < axes; ++k) {
                directions_[d][k] = principal.vectors(static_cast<Eigen::Index>(k), column);
            }
            if (d > 0 && arcsec > kAsideWidths * width) {
                coordinates_ = d + 1;
            }
        }
        return true;
    }

    const LostBody* body_;
    std::optional<orbit::OrbitFamily> covariance_;
    std::array<orbit::OrbitFamily::Sigmas, 3> directions_{};
    std::size_t coordinates_ = 1;
    Utc from_;
    Utc to_;
};

} // namespace

Result<std::unique_ptr<LostPaths>> orbitPaths(const LostBody& body,
                                              std::span<const StackLight> lights,
                                              const std::vector<std::vector<std::size_t>>& fields) {
    return OrbitPaths::make(body, lights, fields);
}

} // namespace pathmark::night
