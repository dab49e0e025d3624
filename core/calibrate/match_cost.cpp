#include "core/calibrate/match_cost.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;

constexpr double kDarkDegrees = 2.0;
constexpr double kScaledDarkDegrees = 10.0;
constexpr double kFewFrames = 5.0;

bool isDarkRole(Role role) {
    return role == Role::Dark || role == Role::FlatDark;
}

bool isScaledRole(Role role) {
    return role == Role::ScaledDark || role == Role::FlatScaledDark;
}

/// Gathers the terms of one candidate.
class Reckoning {
  public:
    Reckoning(MasterCandidate& candidate) : candidate_(candidate) {}

    void hard(const char* name, std::string words) {
        candidate_.terms.push_back({name, 100.0, true, std::move(words)});
    }

    void soft(const char* name, double cost, std::string words) {
        if (cost > 0.0) {
            candidate_.terms.push_back({name, cost, false, std::move(words)});
        }
    }

    /// Two values that must agree where both are known.
    void setting(const char* name,
                 const std::optional<double>& user,
                 const std::optional<double>& candidate,
                 const char* what) {
        if (user && candidate && *user != *candidate) {
            hard(name, fmt::format("its {} is {:g}, not {:g}", what, *candidate, *user));
        } else if (user.has_value() != candidate.has_value()) {
            soft(name, 0.2, fmt::format("only one of the two headers gives the {}", what));
        }
    }

    void words(const char* name,
               const std::string& user,
               const std::string& candidate,
               const char* what) {
        if (!user.empty() && !candidate.empty() && user != candidate) {
            hard(name, fmt::format("its {} is '{}', not '{}'", what, candidate, user));
        } else if (user.empty() != candidate.empty()) {
            soft(name, 0.2, fmt::format("only one of the two headers gives the {}", what));
        }
    }

  private:
    MasterCandidate& candidate_;
};

void addDetector(Reckoning& reckoning, const FrameInfo& user, const FrameInfo& c) {
    if (c.width != user.width || c.height != user.height) {
        reckoning.hard(
            "size",
            fmt::format(
                "its size is {} x {}, not {} x {}", c.width, c.height, user.width, user.height));
    }
    if (c.planes != user.planes) {
        reckoning.hard("colour",
                       fmt::format("it has {} colour planes, not {}", c.planes, user.planes));
    }
    if (c.binningX != user.binningX || c.binningY != user.binningY) {
        reckoning.hard("binning",
                       fmt::format("its binning is {} x {}, not {} x {}",
                                   c.binningX,
                                   c.binningY,
                                   user.binningX,
                                   user.binningY));
    }
    reckoning.words("camera", user.camera, c.camera, "camera");
    reckoning.setting("gain", user.gainSetting, c.gainSetting, "gain setting");
    reckoning.setting("offset", user.offsetSetting, c.offsetSetting, "offset");
    reckoning.words("mode", user.readoutMode, c.readoutMode, "read-out mode");
    if (!user.bayerPattern.empty() && !c.bayerPattern.empty()) {
        reckoning.words("colour", user.bayerPattern, c.bayerPattern, "colour pattern");
    }
}

void addExposure(Reckoning& reckoning, Role role, const FrameInfo& user, const FrameInfo& c) {
    if (!isDarkRole(role) && !isScaledRole(role)) {
        return;
    }
    if (!c.exposureKnown) {
        reckoning.hard("exposure", "its exposure is not known");
        return;
    }
    if (!user.exposureKnown) {
        reckoning.hard("exposure", "the exposure it should have is not known");
        return;
    }
    const double a = c.exposureSeconds;
    const double b = user.exposureSeconds;
    if (isDarkRole(role)) {
        if (!sameExposure(a, b)) {
            reckoning.hard("exposure", fmt::format("its exposure is {:g} s, not {:g} s", a, b));
        } else {
            reckoning.soft("exposure",
                           20.0 * std::abs(a - b) / std::max(a, b),
                           fmt::format("its exposure of {:g} s is {:g} s off", a, std::abs(a - b)));
        }
        return;
    }
    if (a <= 0.0) {
        reckoning.hard("exposure", "it has no exposure to scale");
        return;
    }
    // A longer dark scaled down keeps its noise small; a short one scaled up makes it grow.
    const double ratio = std::log2(a / std::max(b, 1e-3));
    reckoning.soft("exposure",
                   ratio >= 0.0 ? 0.3 * ratio : -1.0 * ratio,
                   fmt::format("its {:g} s are scaled to {:g} s", a, b));
}

void addTemperature(Reckoning& reckoning, Role role, const FrameInfo& user, const FrameInfo& c) {
    if (role == Role::Flat) {
        return;
    }
    if (!user.temperatureCelsius || !c.temperatureCelsius) {
        if (user.temperatureCelsius || c.temperatureCelsius) {
            reckoning.soft("temperature", 0.3, "only one of the two headers gives the temperature");
        }
        return;
    }
    const double difference = std::abs(*user.temperatureCelsius - *c.temperatureCelsius);
    const bool bias = role == Role::Bias || role == Role::FlatBias;
    const double limit = isScaledRole(role) ? kScaledDarkDegrees : kDarkDegrees;
    std::string words = fmt::format("it was taken at {:.1f} °C, not {:.1f} °C",
                                    *c.temperatureCelsius,
                                    *user.temperatureCelsius);
    if (!bias && difference > limit) {
        reckoning.hard("temperature", std::move(words));
    } else if (difference > 0.3) {
        reckoning.soft("temperature", (bias ? 0.05 : 0.4) * difference, std::move(words));
    }
}

void addDate(Reckoning& reckoning, Role role, const FrameGroup& user, const FrameGroup& c) {
    if (user.middleJulian == 0.0 || c.middleJulian == 0.0) {
        reckoning.soft("date", 0.3, "its date is not known");
        return;
    }
    const double days = std::abs(user.middleJulian - c.middleJulian);
    // A flat ages with every speck of dust, a dark with the sensor.
    const double weight = role == Role::Flat ? 1.0 : 0.15;
    reckoning.soft("date", weight * std::log2(1.0 + days), "it was taken " + nearnessOf(user, c));
}

void addFlat(Reckoning& reckoning, const FrameGroup& user, const FrameGroup& group) {
    const FrameInfo& light = user.example;
    const FrameInfo& flat = group.example;
    if (light.filter != flat.filter) {
        if (light.filter.empty() || flat.filter.empty()) {
            reckoning.soft("filter",
                           3.0,
                           fmt::format("only one of the two headers gives the filter ('{}')",
                                       light.filter.empty() ? flat.filter : light.filter));
        } else {
            reckoning.hard("filter",
                           fmt::format("its filter is '{}', not '{}'", flat.filter, light.filter));
        }
    }
    if (light.rotationDegrees && flat.rotationDegrees) {
        const double turned =
            std::abs(std::remainder(*light.rotationDegrees - *flat.rotationDegrees, 360.0));
        if (turned > 1.0) {
            reckoning.soft("rotation",
                           turned > 5.0 ? 3.0 : 0.5,
                           fmt::format("the camera was turned by {:.0f}° against it", turned));
        }
    }
    if (flat.exposureKnown && flat.exposureSeconds < kShortestFlatSeconds && !group.isReady()) {
        reckoning.soft("shutter",
                       20.0,
                       fmt::format("its exposure of {:g} s can show the shutter's shape",
                                   flat.exposureSeconds));
    }
    const auto level = group.levelAdu();
    if (!level || group.isReady()) {
        return;
    }
    const double range = flat.saturationAdu.value_or(65535.0);
    if (*level > 0.92 * range) {
        reckoning.hard("level", fmt::format("its level of {:.0f} ADU is saturated", *level));
    } else if (*level < 0.03 * range) {
        reckoning.soft("level", 4.0, fmt::format("its level of {:.0f} ADU is faint", *level));
    }
}

} // namespace

std::string nearnessOf(const FrameGroup& user, const FrameGroup& candidate) {
    if (user.middleJulian == 0.0 || candidate.middleJulian == 0.0) {
        return "at an unknown time";
    }
    const double days = candidate.middleJulian - user.middleJulian;
    if (std::abs(days) < 0.75) {
        return "the same night";
    }
    const long long whole = std::llround(std::max(1.0, std::abs(days)));
    return fmt::format(
        "{} day{} {}", whole, whole == 1 ? "" : "s", days < 0.0 ? "earlier" : "later");
}

MasterCandidate
costOf(Role role, const FrameGroup& user, std::span<const FrameGroup> groups, std::size_t index) {
    const FrameGroup& group = groups[index];
    MasterCandidate candidate{role, index, {}};
    Reckoning reckoning(candidate);
    addDetector(reckoning, user.example, group.example);
    addExposure(reckoning, role, user.example, group.example);
    addTemperature(reckoning, role, user.example, group.example);
    if (role == Role::Flat) {
        addFlat(reckoning, user, group);
    }
    addDate(reckoning, role, user, group);
    const auto count = static_cast<double>(group.frames.size());
    if (!group.isReady() && count < kFewFrames) {
        reckoning.soft("count",
                       0.15 * (kFewFrames - count),
                       fmt::format("it has only {} frame(s)", group.frames.size()));
    }
    return candidate;
}

} // namespace pathmark::calibrate
