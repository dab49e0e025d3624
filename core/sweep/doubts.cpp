#include "core/sweep/doubts.h"

#include <algorithm>
#include <cmath>

namespace pathmark::sweep {
namespace {

constexpr double kShownSigma = 5.0; ///< in a single frame
constexpr double kMostUnlike =
    4.0; ///< sigma by which a body's light may differ from frame to frame, and from a point's
constexpr double kBrightWidths =
    2.3; ///< of a star, that the light of a body of S/N 24 in a frame reaches
constexpr std::size_t kMostStruck = 5; ///< one of so many frames, at most
constexpr double kStruck = 5.0;        ///< sigma above what the others show
constexpr double kLeastShare =
    0.02; ///< of a usual frame's information: one that has less says nothing

/// The light of a peak frame by frame, against its mean.
struct FrameByFrame {
    int frames = 0;
    int shown = 0;        ///< that show it by themselves
    double sum = 0.0;     ///< chi-square
    double highest = 0.0; ///< sigma of one frame above the mean
    TrackLight halves[2];

    [[nodiscard]] double unlike() const {
        return (sum - (frames - 1)) / std::sqrt(2.0 * (frames - 1));
    }
};

FrameByFrame lightsOf(const LightMaps& maps,
                      const Tracks& tracks,
                      const Peak& peak,
                      std::span<const FoundBody> without) {
    const double mean = peak.wholeSnr / std::sqrt(peak.information);
    const double usual = peak.information / static_cast<double>(maps.frames().size());
    FrameByFrame result;
    for (std::size_t i = 0; i < maps.frames().size(); ++i) {
        const FrameLight here = tracks.in(i, peak.track);
        if (!(here.information > kLeastShare * usual) || peak.isStruck(i) ||
            tracks.isTaken(i, peak.track, without)) {
            continue;
        }
        const double off = (here.light - mean * here.information) / std::sqrt(here.information);
        const double unlike = off / bearable(mean * std::sqrt(here.information));
        result.sum += unlike * unlike;
        result.highest = std::max(result.highest, unlike);
        result.shown += here.light > kShownSigma * std::sqrt(here.information) ? 1 : 0;
        TrackLight& half = result.halves[maps.times()[i] < 0.0 ? 0 : 1];
        half.light += here.light;
        half.information += here.information;
        ++result.frames;
    }
    return result;
}

/// A point's light has fallen to a quarter at one width; what is wider is a coma, a ghost, a bad subtraction.
bool isWide(const Tracks& tracks, const Peak& peak, std::span<const FoundBody> without) {
    const double width = tracks.form().fwhm();
    double aside = 0.0;
    for (const auto& way : {Velocity{width, 0.0},
                            Velocity{-width, 0.0},
                            Velocity{0.0, width},
                            Velocity{0.0, -width}}) {
        Track beside = peak.track;
        beside.place.x += way.x;
        beside.place.y += way.y;
        aside += 0.25 * tracks.along(beside, without, true).snr();
    }
    const double trail =
        std::hypot(peak.track.velocity.x, peak.track.velocity.y) * tracks.trailShare(0);
    const double most = tracks.form().along(trail, width);
    return aside > 0.5 * (1.0 + most) * peak.wholeSnr + 0.5 * kMostUnlike;
}

/// Whether a track keeps beside a bright body: what is left of that one's wings moves as it does.
bool isBesideBright(const LightMaps& maps,
                    const Tracks& tracks,
                    const Peak& peak,
                    std::span<const FoundBody> without) {
    return std::any_of(without.begin(), without.end(), [&](const FoundBody& body) {
        if (body.radius < kBrightWidths * tracks.form().fwhm()) {
            return false;
        }
        std::size_t beside = 0;
        for (std::size_t i = 0; i < maps.frames().size(); ++i) {
            const frame::PixelPos a = peak.track.at(maps.times()[i]);
            const frame::PixelPos b = body.track.at(maps.times()[i]);
            beside += std::hypot(a.x - b.x, a.y - b.y) < 2.0 * tracks.reach(i, body) ? 1 : 0;
        }
        return 2 * beside > maps.frames().size();
    });
}

} // namespace

std::vector<bool> struckFrames(std::span<const FrameLight> lights) {
    const auto snrOf = [](const FrameLight& here) {
        return here.light / std::sqrt(here.information);
    };
    std::vector<std::size_t> order;
    TrackLight rest;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (lights[i].information > 0.0) {
            order.push_back(i);
            rest.light += lights[i].light;
            rest.information += lights[i].information;
        }
    }
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return snrOf(lights[a]) > snrOf(lights[b]);
    });
    std::vector<bool> isStruck(lights.size(), false);
    for (std::size_t k = 0; k < order.size() / kMostStruck; ++k) {
        const FrameLight& here = lights[order[k]];
        rest.light -= here.light;
        rest.information -= here.information;
        const double mean = std::max(0.0, rest.light / rest.information);
        const double root = std::sqrt(here.information);
        if (snrOf(here) - mean * root < kStruck * bearable(mean * root)) {
            break;
        }
        isStruck[order[k]] = true;
    }
    return isStruck;
}

void leaveOutStruck(const LightMaps& maps,
                    const Tracks& tracks,
                    std::span<const FoundBody> without,
                    Peak& peak) {
    std::vector<FrameLight> lights(maps.frames().size());
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (!tracks.isTaken(i, peak.track, without)) {
            lights[i] = tracks.in(i, peak.track);
        }
    }
    const std::vector<bool> isStruck = struckFrames(lights);
    TrackLight whole;
    double clipped = 0.0;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (isStruck[i]) {
            peak.struck.push_back(i);
            continue;
        }
        const double most = kMostSigma * std::sqrt(lights[i].information);
        clipped += std::clamp(lights[i].light, -most, most);
        whole.light += lights[i].light;
        whole.information += lights[i].information;
    }
    if (!peak.struck.empty()) {
        peak.information = whole.information;
        peak.wholeSnr = whole.snr();
        peak.snr = clipped / std::sqrt(whole.information);
    }
}

std::string doubtOf(const LightMaps& maps,
                    const Tracks& tracks,
                    const Peak& peak,
                    std::span<const FoundBody> without) {
    const FrameByFrame lights = lightsOf(maps, tracks, peak, without);
    if (lights.frames < 3) {
        return "seen by fewer than three frames";
    }
    if (2 * lights.shown > lights.frames) {
        return {}; // bright, whatever passes it by
    }
    if (isBesideBright(maps, tracks, peak, without)) {
        return "the light of a bright body beside it";
    }
    if (lights.unlike() > kMostUnlike) {
        return "its light is not there frame by frame";
    }
    if (lights.highest > 0.6 * peak.wholeSnr && lights.highest > kMostUnlike) {
        return "one frame makes most of it";
    }
    for (const TrackLight& half : lights.halves) {
        const double expected =
            peak.wholeSnr / std::sqrt(peak.information) * std::sqrt(half.information);
        if (half.information > 0.1 * peak.information &&
            half.snr() < 0.6 * expected - 0.5 * kMostUnlike) {
            return "its light is in one half of the time only";
        }
    }
    return isWide(tracks, peak, without) ? "wider than a star" : "";
}

} // namespace pathmark::sweep
