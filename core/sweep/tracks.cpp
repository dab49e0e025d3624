#include "core/sweep/tracks.h"

#include "core/sweep/cubic_weights.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::sweep {
namespace {

constexpr double kTableStep = 0.1; ///< widths
constexpr int kTableSize = 400;
constexpr double kShows =
    3.0; ///< S/N in single frames from which a body is followed by all its light
constexpr int kRounds = 160;
constexpr double kPointWidths = 0.5; ///< between points of a trail
constexpr double kRest = 0.02;       ///< S/N between the corners of a simplex that rests

/// Cubic convolution of 16-bit values; 0 beyond the edge.
double between(const LightMap& map, int width, int height, double x, double y) {
    const int ix = static_cast<int>(std::floor(x));
    const int iy = static_cast<int>(std::floor(y));
    if (ix < 1 || iy < 1 || ix + 2 >= width || iy + 2 >= height) {
        return 0.0;
    }
    const auto wx = cubicWeights(x - ix);
    const auto wy = cubicWeights(y - iy);
    double sum = 0.0;
    for (int v = 0; v < 4; ++v) {
        const std::int16_t* row =
            map.light.data() + static_cast<std::ptrdiff_t>(iy - 1 + v) * width + ix - 1;
        sum += wy[static_cast<std::size_t>(v)] *
               (wx[0] * row[0] + wx[1] * row[1] + wx[2] * row[2] + wx[3] * row[3]);
    }
    return sum;
}

double weightAt(const LightMap& map, int width, int height, double x, double y) {
    const auto ix = static_cast<std::ptrdiff_t>(std::floor(x + 0.5));
    const auto iy = static_cast<std::ptrdiff_t>(std::floor(y + 0.5));
    if (ix < 0 || iy < 0 || ix >= width || iy >= height) {
        return 0.0;
    }
    return static_cast<double>(map.weight[static_cast<std::size_t>(iy * width + ix)]) / kFullWeight;
}

using Corner = std::array<double, 6>;

Track trackOf(const Corner& c) {
    return {{c[0], c[1]}, {c[2], c[3]}, {c[4], c[5]}};
}

/// A simplex that climbs.
class Climb {
  public:
    Climb(const Tracks& tracks, const Track& from, std::span<const FoundBody> without, bool wholly)
        : tracks_(tracks), without_(without), wholly_(wholly), size_(wholly ? 6 : 4) {
        const double step = 0.5 * tracks.form().fwhm();
        corners_.fill({from.place.x,
                       from.place.y,
                       from.velocity.x,
                       from.velocity.y,
                       from.bend.x,
                       from.bend.y});
        for (std::size_t k = 0; k < size_; ++k) {
            corners_[k + 1][k] += step;
        }
        for (std::size_t k = 0; k <= size_; ++k) {
            values_[k] = value(corners_[k]);
        }
    }

    Track top() {
        for (int round = 0; round < kRounds; ++round) {
            order();
            if (values_[0] - values_[size_] < kRest) {
                break;
            }
            step();
        }
        order();
        return trackOf(corners_[0]);
    }

  private:
    [[nodiscard]] double value(const Corner& c) const {
        return tracks_.along(trackOf(c), without_, wholly_).snr();
    }

    /// The best first.
    void order() {
        for (std::size_t i = 1; i <= size_; ++i) {
            for (std::size_t k = i; k > 0 && values_[k] > values_[k - 1]; --k) {
                std::swap(values_[k], values_[k - 1]);
                std::swap(corners_[k], corners_[k - 1]);
            }
        }
    }

    /// The worst corner mirrored in the middle of the others, so many times as far.
    [[nodiscard]] Corner mirrored(double times) const {
        Corner result = corners_[0];
        for (std::size_t d = 0; d < size_; ++d) {
            double middle = 0.0;
            for (std::size_t k = 0; k < size_; ++k) {
                middle += corners_[k][d] / static_cast<double>(size_);
            }
            result[d] = middle + times * (middle - corners_[size_][d]);
        }
        return result;
    }

    void replace(const Corner& corner, double value) {
        corners_[size_] = corner;
        values_[size_] = value;
    }

    void step() {
        const Corner across = mirrored(1.0);
        const double there = value(across);
        if (there > values_[0]) {
            const Corner farther = mirrored(2.0);
            const double beyond = value(farther);
            beyond > there ? replace(farther, beyond) : replace(across, there);
        } else if (there > values_[size_ - 1]) {
            replace(across, there);
        } else {
            const Corner nearer = mirrored(there > values_[size_] ? 0.5 : -0.5);
            const double within = value(nearer);
            if (within > std::max(there, values_[size_])) {
                replace(nearer, within);
            } else {
                shrink();
            }
        }
    }

    void shrink() {
        for (std::size_t k = 1; k <= size_; ++k) {
            for (std::size_t d = 0; d < size_; ++d) {
                corners_[k][d] = 0.5 * (corners_[k][d] + corners_[0][d]);
            }
            values_[k] = value(corners_[k]);
        }
    }

    const Tracks& tracks_;
    std::span<const FoundBody> without_;
    bool wholly_;
    std::size_t size_; ///< of the space that is searched
    std::array<Corner, 7> corners_{};
    std::array<double, 7> values_{};
};

} // namespace

double TrackLight::snr() const {
    return information > 0.0 ? light / std::sqrt(information) : 0.0;
}

Tracks::Tracks(const LightMaps& maps, std::vector<Slot> slots)
    : maps_(maps), slots_(std::move(slots)), form_(meanWidth(maps)) {
    for (const Slot& slot : slots_) {
        trailShares_.push_back(maps.frames()[slot.map].exposureSeconds / maps.unitSeconds());
    }
    for (int k = 0; k < kTableSize; ++k) {
        informationTable_.push_back(form_.information(kTableStep * k * form_.fwhm()));
    }
}

double Tracks::informationOf(double trail) const {
    const double place =
        std::min(trail / (kTableStep * form_.fwhm()), static_cast<double>(kTableSize - 2));
    const auto k = static_cast<std::size_t>(place);
    const double t = place - static_cast<double>(k);
    return (1.0 - t) * informationTable_[k] + t * informationTable_[k + 1];
}

FrameLight Tracks::in(std::size_t slot, const Track& track) const {
    const LightMap& map = maps_.map(slots_[slot].map);
    const int width = maps_.grid().width;
    const int height = maps_.grid().height;
    frame::PixelPos at = track.at(maps_.times()[slot]);
    at.x += slots_[slot].shiftX;
    at.y += slots_[slot].shiftY;
    const double trailX = trailShares_[slot] * track.velocity.x;
    const double trailY = trailShares_[slot] * track.velocity.y;
    const double trail = std::hypot(trailX, trailY);
    const int points = 1 + static_cast<int>(trail / (kPointWidths * form_.fwhm()));
    double light = 0.0;
    double weight = 0.0;
    for (int k = 0; k < points; ++k) {
        const double share = (k + 0.5) / points - 0.5;
        const double x = at.x + share * trailX;
        const double y = at.y + share * trailY;
        light += between(map, width, height, x, y);
        weight += weightAt(map, width, height, x, y);
    }
    return {light / (points * maps_.units()), weight / points * map.share * informationOf(trail)};
}

/// The wings of a Moffat profile of beta 3 under its own filter fall as the sixth power of the distance.
FoundBody Tracks::body(const Track& track, double frameSnr) const {
    const double widths = 0.5 + std::pow(std::max(2.0, frameSnr) / 0.7, 1.0 / 6.0);
    return {track, widths * form_.fwhm(), std::hypot(track.velocity.x, track.velocity.y)};
}

bool Tracks::isTaken(std::size_t slot, const Track& track, std::span<const FoundBody> by) const {
    const double time = maps_.times()[slot];
    const frame::PixelPos at = track.at(time);
    return std::any_of(by.begin(), by.end(), [&](const FoundBody& body) {
        const frame::PixelPos there = body.track.at(time);
        const double x = there.x - at.x;
        const double y = there.y - at.y;
        const double reached = reach(slot, body);
        return x * x + y * y < reached * reached;
    });
}

TrackLight
Tracks::along(const Track& track, std::span<const FoundBody> without, bool wholly) const {
    TrackLight sum;
    for (std::size_t slot = 0; slot < slots_.size(); ++slot) {
        if (isTaken(slot, track, without)) {
            continue;
        }
        const FrameLight here = in(slot, track);
        const double most = kMostSigma * std::sqrt(here.information);
        sum.light += wholly ? here.light : std::clamp(here.light, -most, most);
        sum.information += here.information;
    }
    return sum;
}

Track Tracks::highest(const Track& from,
                      std::span<const FoundBody> without,
                      double leastToBend) const {
    const Track track = Climb(*this, from, without, false).top();
    const auto frames = static_cast<double>(slots_.size());
    const double snr = along(track, without).snr();
    return snr > std::min(leastToBend, kShows * std::sqrt(frames))
               ? Climb(*this, track, without, true).top()
               : track;
}

bool Tracks::isSame(const Track& a, const Track& b) const {
    const auto apart = [&](double time) {
        const auto p = a.at(time);
        const auto q = b.at(time);
        return std::hypot(p.x - q.x, p.y - q.y);
    };
    const double width = form_.fwhm();
    return apart(0.0) < width && apart(-1.0) < 2.0 * width && apart(1.0) < 2.0 * width;
}

} // namespace pathmark::sweep
