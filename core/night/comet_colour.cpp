#include "core/night/comet_colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <string_view>

namespace pathmark::night {
namespace {

constexpr std::array<std::string_view, 9> kFromBlue{"B", "g", "V", "G", "r", "R", "i", "I", "z"};

/// From blue to red; those of no known band last.
std::ptrdiff_t orderOf(const std::string& band) {
    return std::ranges::find(kFromBlue, band) - kFromBlue.begin();
}

bool isUsable(const MeasurementRecord& m) {
    return m.coma && m.seen && !m.band.empty() && m.state != MeasurementState::Dropped;
}

/// The circle of a measurement that has a radius and a magnitude; null: none.
const ComaAperture* circleOf(const MeasurementRecord& m, double radiusArcsec) {
    const auto circle = std::ranges::find_if(m.coma->apertures, [&](const ComaAperture& a) {
        return a.magnitude && std::abs(a.radiusArcsec - radiusArcsec) < 1e-6;
    });
    return circle == m.coma->apertures.end() ? nullptr : &*circle;
}

} // namespace

std::optional<CometColour> cometColour(std::span<const MeasurementRecord> measurements,
                                       const FrameId& frame,
                                       double radiusArcsec) {
    const auto own = std::ranges::find_if(measurements, [&](const MeasurementRecord& m) {
        return m.frame == frame && !m.onStack && isUsable(m);
    });
    if (own == measurements.end()) {
        return std::nullopt;
    }
    const auto apart = [&](const MeasurementRecord& m) {
        return std::abs(m.time.secondsSince(own->time));
    };
    const MeasurementRecord* other = nullptr;
    for (const MeasurementRecord& m : measurements) {
        if (isUsable(m) && m.band != own->band && m.onStack == own->onStack &&
            (other == nullptr || apart(m) < apart(*other))) {
            other = &m;
        }
    }
    if (other == nullptr) {
        return std::nullopt;
    }
    std::optional<CometColour> found;
    for (const ComaAperture& a : own->coma->apertures) {
        const ComaAperture* b = a.magnitude ? circleOf(*other, a.radiusArcsec) : nullptr;
        if (b == nullptr || (found && std::abs(found->radiusArcsec - radiusArcsec) <=
                                          std::abs(a.radiusArcsec - radiusArcsec))) {
            continue;
        }
        const bool isOwnBluer = orderOf(own->band) < orderOf(other->band);
        found =
            CometColour{isOwnBluer ? own->band : other->band,
                        isOwnBluer ? other->band : own->band,
                        a.radiusArcsec,
                        isOwnBluer ? *a.magnitude - *b->magnitude : *b->magnitude - *a.magnitude,
                        std::hypot(a.magnitudeError, b->magnitudeError),
                        apart(*other) / 60.0};
    }
    return found;
}

} // namespace pathmark::night
