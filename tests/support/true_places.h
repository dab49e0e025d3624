#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"
#include "tests/support/table_rows.h"

#include <nlohmann/json.hpp>

#include <string>

namespace pathmark::test_support {

/// Where a body truly was, straight between the frames before and after.
class TruePlaces {
  public:
    explicit TruePlaces(const nlohmann::json& truth) : frames_(truth.at("frames")) {}

    [[nodiscard]] SkyPos at(const std::string& body, const Utc& time) const {
        std::size_t k = 1;
        while (k + 1 < frames_.size() && timeOf(k) < time) {
            ++k;
        }
        const double part =
            time.secondsSince(timeOf(k - 1)) / timeOf(k).secondsSince(timeOf(k - 1));
        const auto between = [&](const char* what) {
            const auto value = [&](std::size_t i) {
                return frames_[i].at("bodies").at(body).at(what).get<double>();
            };
            return value(k - 1) + part * (value(k) - value(k - 1));
        };
        return {Angle::degrees(between("ra")), Angle::degrees(between("dec"))};
    }

    struct Off {
        double ra = 0.0; ///< in stated errors, on the sky
        double dec = 0.0;
    };

    /// How far a row of `measurements.csv` is off.
    [[nodiscard]] Off errorsOff(const Row& row) const {
        const SkyPos there = at(row.at("body"), *parseUtc(row.at("time_utc")));
        const SkyPos seen{Angle::degrees(std::stod(row.at("ra_deg"))),
                          Angle::degrees(std::stod(row.at("dec_deg")))};
        const PlanePos off = toTangentPlane(there, seen);
        return {Angle::radians(off.xi).arcsec() / std::stod(row.at("sigma_ra_arcsec")),
                Angle::radians(off.eta).arcsec() / std::stod(row.at("sigma_dec_arcsec"))};
    }

  private:
    [[nodiscard]] Utc timeOf(std::size_t i) const {
        return *parseUtc(frames_[i].at("t_mid_utc").get<std::string>());
    }

    const nlohmann::json& frames_;
};

} // namespace pathmark::test_support
