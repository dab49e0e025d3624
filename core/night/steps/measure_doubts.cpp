#include "core/night/steps/measure_doubts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::night {

SkyPos OtherBody::at(const Utc& when) const {
    return movedAlong(
        sky, rateArcsecPerMin, Angle::degrees(positionAngleDegrees), when.secondsSince(time));
}

FramePredictions::FramePredictions(const std::vector<PredictionRecord>& all) {
    for (const PredictionRecord& p : all) {
        byFrame_[p.frame].push_back(&p);
    }
}

std::span<const PredictionRecord* const> FramePredictions::of(const FrameId& frame) const {
    const auto found = byFrame_.find(frame);
    return found == byFrame_.end() ? std::span<const PredictionRecord* const>()
                                   : std::span<const PredictionRecord* const>(found->second);
}

const PredictionRecord* FramePredictions::of(const FrameId& frame, const BodyId& body) const {
    const auto all = of(frame);
    const auto found =
        std::find_if(all.begin(), all.end(), [&](const auto* p) { return p->body == body; });
    return found == all.end() ? nullptr : *found;
}

std::vector<OtherBody> FramePredictions::others(const BodyId& own,
                                                const FrameId& frame,
                                                const SkyPos& place,
                                                double reachArcsec) const {
    std::vector<OtherBody> others;
    for (const PredictionRecord* prediction : of(frame)) {
        const PredictionRecord& p = *prediction;
        if (p.body == own || p.candidate || !p.magnitude ||
            separation(p.sky, place).arcsec() > reachArcsec) {
            continue;
        }
        OtherBody other{p.body,
                        p.title,
                        p.sky,
                        *p.magnitude,
                        p.rateArcsecPerMin,
                        p.positionAngleDegrees,
                        p.time};
        other.sky = p.matchedAt().value_or(p.sky);
        others.push_back(std::move(other));
    }
    return others;
}

std::string doubtOf(const MeasurementRecord& record,
                    const std::optional<double>& predictedMagnitude,
                    std::span<const OtherBody> others,
                    double scaleArcsec,
                    const ReviewRules& rules) {
    if (!record.seen || !record.magnitude) {
        return {};
    }
    const double width = record.fwhmPixels * scaleArcsec;
    for (const OtherBody& other : others) {
        const double apart = separation(other.at(record.time), record.sky).arcsec();
        if (apart < 1.5 * width && other.magnitude < *record.magnitude + rules.passingMag) {
            return fmt::format(
                "{} passes {:.1f} arcsec away; the light may be its", other.title, apart);
        }
    }
    if (predictedMagnitude) {
        const double brighter = *predictedMagnitude - *record.magnitude;
        if (brighter > rules.brighterMag + 3.0 * record.magnitudeError) {
            return fmt::format("{:.1f} mag brighter than its orbit says; it may be something else",
                               brighter);
        }
    }
    return {};
}

std::optional<double>
meanAbout(const frame::Image& image, const frame::PixelPos& middle, double reach) {
    double sum = 0.0;
    int pixels = 0;
    const auto first = [&](double at) { return static_cast<int>(std::ceil(at - reach)); };
    for (int y = first(middle.y); y <= middle.y + reach; ++y) {
        for (int x = first(middle.x); x <= middle.x + reach; ++x) {
            if (image.contains(x, y) && std::isfinite(image.at(x, y)) &&
                std::hypot(x - middle.x, y - middle.y) <= reach) {
                sum += static_cast<double>(image.at(x, y));
                ++pixels;
            }
        }
    }
    return pixels == 0 ? std::nullopt : std::optional(sum / pixels);
}

std::string clippedDoubt(const MeasurementRecord& record, const frame::Image& clipped) {
    constexpr double mostLeftOut = 0.15;
    if (!record.seen || record.frames < 1) {
        return {};
    }
    const double leftOut = meanAbout(clipped, record.pixel, record.fwhmPixels).value_or(0.0);
    const double share = leftOut / record.frames;
    if (share <= mostLeftOut) {
        return {};
    }
    return fmt::format("a star passes: {:.0f} % of the values about it were left out of the stack; "
                       "some of that star's light may be left",
                       100.0 * share);
}

} // namespace pathmark::night
