#include "core/calibrate/groups.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace pathmark::calibrate {

using frame::FrameInfo;
using frame::FrameKind;

bool sameDetector(const FrameInfo& a, const FrameInfo& b) {
    const auto agree = [](const std::optional<double>& x, const std::optional<double>& y) {
        return !x || !y || *x == *y;
    };
    const bool camera = a.camera.empty() || b.camera.empty() || a.camera == b.camera;
    return camera && a.width == b.width && a.height == b.height && a.binningX == b.binningX &&
           a.binningY == b.binningY && agree(a.gainSetting, b.gainSetting);
}

bool sameExposure(double a, double b) {
    return std::abs(a - b) <= std::max(0.02 * std::max(a, b), 1e-6);
}

bool belongTogether(const FrameInfo& a, const FrameInfo& b) {
    if (a.kind != b.kind || !sameDetector(a, b) ||
        !sameExposure(a.exposureSeconds, b.exposureSeconds)) {
        return false;
    }
    if (a.kind != FrameKind::Flat && a.temperatureCelsius && b.temperatureCelsius &&
        std::abs(*a.temperatureCelsius - *b.temperatureCelsius) > 2.0) {
        return false;
    }
    if ((a.kind == FrameKind::Flat || a.kind == FrameKind::Light) && a.filter != b.filter) {
        return false;
    }
    if (a.kind == FrameKind::Light) {
        if (a.pointing && b.pointing) {
            return separation(*a.pointing, *b.pointing).degrees() < 2.0;
        }
        return a.object == b.object;
    }
    return true;
}

std::vector<FrameGroup> groupFrames(std::span<const FrameInfo> frames) {
    std::vector<FrameInfo> sorted(frames.begin(), frames.end());
    std::sort(sorted.begin(), sorted.end(), [](const FrameInfo& a, const FrameInfo& b) {
        const double ta = a.midExposure ? a.midExposure->julian() : 0.0;
        const double tb = b.midExposure ? b.midExposure->julian() : 0.0;
        return std::tie(ta, a.path) < std::tie(tb, b.path);
    });
    std::vector<FrameGroup> groups;
    for (const FrameInfo& info : sorted) {
        if (info.kind == FrameKind::Unknown) {
            continue;
        }
        const auto home = std::find_if(groups.begin(), groups.end(), [&](const FrameGroup& group) {
            return belongTogether(group.example, info);
        });
        if (home == groups.end()) {
            groups.push_back({info, {info}, 0.0});
        } else {
            home->frames.push_back(info);
        }
    }
    for (FrameGroup& group : groups) {
        double sum = 0.0;
        int count = 0;
        for (const FrameInfo& info : group.frames) {
            if (info.midExposure) {
                sum += info.midExposure->julian();
                ++count;
            }
        }
        group.middleJulian = count > 0 ? sum / count : 0.0;
    }
    return groups;
}

std::string FrameGroup::title() const {
    std::string text = frame::name(example.kind);
    if (example.kind != FrameKind::Bias) {
        text += fmt::format(" {} s", example.exposureSeconds);
    }
    if (!example.filter.empty()) {
        text += " " + example.filter;
    }
    if (example.temperatureCelsius) {
        text += fmt::format(" {:.0f} °C", *example.temperatureCelsius);
    }
    if (!example.camera.empty()) {
        text += ", " + example.camera;
    }
    return text + fmt::format(", {} x {}", example.width, example.height);
}

} // namespace pathmark::calibrate
