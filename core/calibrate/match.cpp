#include "core/calibrate/match.h"

#include <fmt/format.h>

#include <cmath>
#include <functional>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;
using frame::FrameKind;

constexpr double kTemperatureTolerance = 2.0;
constexpr double kShortestFlat = 1.0;

/// Why a group cannot serve `user`; empty where it can, as far as the detector goes.
std::string detectorObjection(const FrameInfo& user, const FrameInfo& candidate) {
    if (candidate.width != user.width || candidate.height != user.height) {
        return fmt::format("its size is {} x {}, not {} x {}",
                           candidate.width,
                           candidate.height,
                           user.width,
                           user.height);
    }
    if (candidate.binningX != user.binningX || candidate.binningY != user.binningY) {
        return fmt::format("its binning is {} x {}", candidate.binningX, candidate.binningY);
    }
    if (!user.camera.empty() && !candidate.camera.empty() && user.camera != candidate.camera) {
        return fmt::format("it is of another camera ({})", candidate.camera);
    }
    if (!sameDetector(user, candidate)) {
        return "its gain setting differs";
    }
    return {};
}

std::string temperatureObjection(const FrameInfo& user, const FrameInfo& candidate) {
    if (user.temperatureCelsius && candidate.temperatureCelsius &&
        std::abs(*user.temperatureCelsius - *candidate.temperatureCelsius) >
            kTemperatureTolerance) {
        return fmt::format("it was taken at {:.1f} °C, not {:.1f} °C",
                           *candidate.temperatureCelsius,
                           *user.temperatureCelsius);
    }
    return {};
}

using Objection = std::function<std::string(const FrameInfo&)>;

/// The nearest group in time of one kind that `objection` lets pass.
std::optional<std::size_t> nearest(const FrameGroup& user,
                                   std::span<const FrameGroup> groups,
                                   FrameKind kind,
                                   const Objection& objection,
                                   std::vector<std::string>* passedOver) {
    std::optional<std::size_t> best;
    for (std::size_t i = 0; i < groups.size(); ++i) {
        const FrameGroup& group = groups[i];
        if (group.example.kind != kind) {
            continue;
        }
        std::string why = detectorObjection(user.example, group.example);
        if (why.empty()) {
            why = objection(group.example);
        }
        if (!why.empty()) {
            if (passedOver != nullptr) {
                passedOver->push_back(fmt::format("{}: {}", group.title(), why));
            }
            continue;
        }
        const auto distance = [&](const FrameGroup& g) {
            return std::abs(g.middleJulian - user.middleJulian);
        };
        if (!best || distance(group) < distance(groups[*best])) {
            best = i;
        }
    }
    return best;
}

void matchDark(const FrameGroup& light, std::span<const FrameGroup> groups, MasterMatch& match) {
    const FrameInfo& info = light.example;
    match.dark = nearest(
        light,
        groups,
        FrameKind::Dark,
        [&](const FrameInfo& dark) {
            if (!sameExposure(dark.exposureSeconds, info.exposureSeconds)) {
                return fmt::format(
                    "its exposure is {} s, not {} s", dark.exposureSeconds, info.exposureSeconds);
            }
            return temperatureObjection(info, dark);
        },
        &match.passedOver);
    if (match.dark) {
        match.reasons.push_back(fmt::format("dark: {} agrees in exposure and temperature",
                                            groups[*match.dark].title()));
        return;
    }
    match.bias = nearest(
        light, groups, FrameKind::Bias, [](const FrameInfo&) { return std::string(); }, nullptr);
    if (!match.bias) {
        match.warnings.push_back(fmt::format(
            "No dark of {} s and no bias fits; the lights keep their bias level and hot "
            "pixels. Take darks of {} s.",
            info.exposureSeconds,
            info.exposureSeconds));
        return;
    }
    match.scaledDark = nearest(
        light,
        groups,
        FrameKind::Dark,
        [&](const FrameInfo& dark) { return temperatureObjection(info, dark); },
        nullptr);
    if (match.scaledDark) {
        match.reasons.push_back(
            fmt::format("dark: {} scaled in time, with bias", groups[*match.scaledDark].title()));
    } else {
        match.warnings.push_back(fmt::format("No dark fits; only the bias is taken off. Take darks "
                                             "of {} s at the lights' temperature.",
                                             info.exposureSeconds));
    }
}

void matchFlat(const FrameGroup& light, std::span<const FrameGroup> groups, MasterMatch& match) {
    const auto sameFilter = [&](const FrameInfo& flat) {
        return flat.filter == light.example.filter
                   ? std::string()
                   : fmt::format("its filter is '{}', not '{}'", flat.filter, light.example.filter);
    };
    match.flat = nearest(
        light,
        groups,
        FrameKind::Flat,
        [&](const FrameInfo& flat) {
            if (auto why = sameFilter(flat); !why.empty()) {
                return why;
            }
            return flat.exposureSeconds < kShortestFlat
                       ? fmt::format("its exposure of {} s can show the shutter's shape",
                                     flat.exposureSeconds)
                       : std::string();
        },
        &match.passedOver);
    if (!match.flat) {
        match.flat = nearest(light, groups, FrameKind::Flat, sameFilter, nullptr);
        if (!match.flat) {
            match.warnings.push_back(
                "No flat fits; vignetting and dust stay. Take flats with this filter.");
            return;
        }
        match.warnings.push_back(
            "The only flats are under 1 s and may show the shutter's shape; take "
            "flats of 1 s or more.");
    }
    const FrameGroup& flat = groups[*match.flat];
    match.reasons.push_back(fmt::format("flat: {} has the filter", flat.title()));
    const auto sameTime = [&](const FrameInfo& dark) {
        return sameExposure(dark.exposureSeconds, flat.example.exposureSeconds)
                   ? std::string()
                   : std::string("exposure");
    };
    match.flatDark = nearest(flat, groups, FrameKind::FlatDark, sameTime, nullptr);
    if (!match.flatDark) {
        match.flatDark = nearest(flat, groups, FrameKind::Dark, sameTime, nullptr);
    }
    if (match.flatDark) {
        return;
    }
    match.flatBias = nearest(
        flat, groups, FrameKind::Bias, [](const FrameInfo&) { return std::string(); }, nullptr);
    if (!match.flatBias) {
        match.warnings.push_back(
            "Neither flat-dark nor bias fits the flats; their bias level stays in "
            "and weakens the correction. Take biases.");
    }
}

} // namespace

MasterMatch matchMasters(const FrameGroup& light, std::span<const FrameGroup> groups) {
    MasterMatch match;
    matchDark(light, groups, match);
    matchFlat(light, groups, match);
    return match;
}

} // namespace pathmark::calibrate
