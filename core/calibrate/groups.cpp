#include "core/calibrate/groups.h"

#include "core/base/hash.h"
#include "core/base/robust.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace pathmark::calibrate {

using frame::FrameInfo;
using frame::FrameKind;

namespace {

template <typename T>
bool agree(const std::optional<T>& x, const std::optional<T>& y) {
    return !x || !y || *x == *y;
}

bool agreeWords(const std::string& x, const std::string& y) {
    return x.empty() || y.empty() || x == y;
}

/// Frames further apart than this were taken in different nights, or, of darks and biases, too long ago to mix.
double longestGapDays(FrameKind kind) {
    return kind == FrameKind::Dark || kind == FrameKind::Bias ? 30.0 : 0.4;
}

/// Dithers and a comet's drift stay within this share of the field's shorter side.
constexpr double kOneTargetShare = 0.5;
constexpr double kTwoNamesShare = 0.05;
constexpr double kOneNameDegrees = 2.0;
constexpr double kNamelessDegrees = 0.5;
constexpr double kTwoNamesDegrees = 0.02;

/// "2034 EQ7" as people write it: whatever the case and the blanks.
std::string plainName(const std::string& object) {
    std::string name = toLower(object);
    std::erase_if(name, [](char c) { return c == ' ' || c == '_'; });
    return name;
}

/// What makes a series, in one digest.
SeriesId idOf(const FrameGroup& group) {
    const FrameInfo& info = group.example;
    Digest digest;
    const auto add = [&](const std::optional<double>& value) {
        digest.add(value ? fmt::format("{}", *value) : std::string("-"));
    };
    digest.add(frame::name(info.kind))
        .add(info.isMaster ? "ready" : "")
        .add(info.camera)
        .add(info.filter)
        .add(info.readoutMode)
        .add(info.bayerPattern)
        .add(plainName(info.object))
        .add(fmt::format("{} {} {} {} {} {}",
                         info.width,
                         info.height,
                         info.planes,
                         info.binningX,
                         info.binningY,
                         info.exposureSeconds));
    add(info.gainSetting);
    add(info.offsetSetting);
    add(info.temperatureCelsius);
    if (info.pointing) {
        add(info.pointing->longitude.degrees());
        add(info.pointing->latitude.degrees());
    }
    // Two groups of one night may agree in all of these; their first frames have times, or at least names, of their own.
    digest.add(info.midExposure ? fmt::format("{:.6f}", info.midExposure->julian())
                                : info.path.filename().string());
    return SeriesId(digest.hex().substr(0, 16));
}

void addMiddle(FrameGroup& group) {
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

} // namespace

bool sameDetector(const FrameInfo& a, const FrameInfo& b) {
    return agreeWords(a.camera, b.camera) && a.width == b.width && a.height == b.height &&
           a.planes == b.planes && a.binningX == b.binningX && a.binningY == b.binningY &&
           agree(a.gainSetting, b.gainSetting) && agree(a.offsetSetting, b.offsetSetting) &&
           agreeWords(a.readoutMode, b.readoutMode) && agreeWords(a.bayerPattern, b.bayerPattern);
}

bool sameExposure(double a, double b) {
    const double longer = std::max(a, b);
    return std::abs(a - b) <= std::max({0.02 * longer, std::min(1.05, 0.05 * longer), 1e-6});
}

bool belongTogether(const FrameInfo& a, const FrameInfo& b) {
    if (a.kind != b.kind || a.isMaster || b.isMaster || !sameDetector(a, b) ||
        a.exposureKnown != b.exposureKnown || !sameExposure(a.exposureSeconds, b.exposureSeconds)) {
        return false;
    }
    // What one says and the other does not may differ: each has a group of its own to be judged by.
    if (a.gainSetting.has_value() != b.gainSetting.has_value() ||
        a.offsetSetting.has_value() != b.offsetSetting.has_value() ||
        a.readoutMode != b.readoutMode || a.camera != b.camera ||
        a.bayerPattern != b.bayerPattern ||
        (a.kind != FrameKind::Flat &&
         a.temperatureCelsius.has_value() != b.temperatureCelsius.has_value())) {
        return false;
    }
    if (a.kind != FrameKind::Flat && a.temperatureCelsius && b.temperatureCelsius &&
        std::abs(*a.temperatureCelsius - *b.temperatureCelsius) > 2.0) {
        return false;
    }
    if ((a.kind == FrameKind::Flat || a.kind == FrameKind::Light) && a.filter != b.filter) {
        return false;
    }
    if (a.kind == FrameKind::Flat && a.rotationDegrees && b.rotationDegrees &&
        std::abs(std::remainder(*a.rotationDegrees - *b.rotationDegrees, 360.0)) > 2.0) {
        return false;
    }
    return a.kind != FrameKind::Light || sameTarget(a, b);
}

bool sameTarget(const FrameInfo& a, const FrameInfo& b) {
    const std::string one = plainName(a.object);
    const std::string other = plainName(b.object);
    if (!a.pointing || !b.pointing) {
        return one == other;
    }
    const bool twoNames = !one.empty() && !other.empty() && one != other;
    const double apart = separation(*a.pointing, *b.pointing).degrees();
    if (const auto scale = a.scaleArcsec()) {
        const double side = std::min(a.width, a.height) * *scale / 3600.0;
        return apart < (twoNames ? kTwoNamesShare : kOneTargetShare) * side;
    }
    if (twoNames) {
        return apart < kTwoNamesDegrees;
    }
    return apart < (one.empty() && other.empty() ? kNamelessDegrees : kOneNameDegrees);
}

std::vector<FrameGroup> groupFrames(std::span<const FrameInfo> frames) {
    std::vector<const FrameInfo*> sorted;
    for (const FrameInfo& info : frames) {
        sorted.push_back(&info);
    }
    std::sort(sorted.begin(), sorted.end(), [](const FrameInfo* a, const FrameInfo* b) {
        const double ta = a->midExposure ? a->midExposure->julian() : 0.0;
        const double tb = b->midExposure ? b->midExposure->julian() : 0.0;
        return std::tie(ta, a->path) < std::tie(tb, b->path);
    });
    std::vector<FrameGroup> groups;
    for (const FrameInfo* info : sorted) {
        if (info->kind == FrameKind::Unknown) {
            continue;
        }
        const auto home =
            std::find_if(groups.rbegin(), groups.rend(), [&](const FrameGroup& group) {
                const auto& last = group.frames.back();
                const bool near = !last.midExposure || !info->midExposure ||
                                  info->midExposure->julian() - last.midExposure->julian() <
                                      longestGapDays(info->kind);
                return near && belongTogether(group.example, *info);
            });
        if (home == groups.rend()) {
            groups.push_back({*info, {*info}, 0.0, {}});
        } else {
            home->frames.push_back(*info);
        }
    }
    for (FrameGroup& group : groups) {
        addMiddle(group);
        group.id = idOf(group);
    }
    return groups;
}

std::optional<double> FrameGroup::levelAdu() const {
    std::vector<double> levels;
    for (const FrameInfo& info : frames) {
        if (info.sample) {
            levels.push_back(info.sample->level);
        }
    }
    return levels.empty() ? std::nullopt : std::optional(medianInPlace(std::span(levels)));
}

std::string FrameGroup::title() const {
    std::string text = isReady() ? "master " : "";
    text += frame::name(example.kind);
    if (example.kind != FrameKind::Bias && example.exposureKnown) {
        text += fmt::format(" {:g} s", example.exposureSeconds);
    }
    if (!example.filter.empty()) {
        text += " " + example.filter;
    }
    if (example.temperatureCelsius) {
        text += fmt::format(" {:.0f} °C", *example.temperatureCelsius);
    }
    if (example.gainSetting) {
        text += fmt::format(" gain {:g}", *example.gainSetting);
    }
    if (example.kind == FrameKind::Light && !example.object.empty()) {
        text += ", " + example.object;
    }
    if (!example.camera.empty()) {
        text += ", " + example.camera;
    }
    return text + fmt::format(", {} x {}", example.width, example.height);
}

} // namespace pathmark::calibrate
