#include "core/sweep/path_search.h"

#include "core/base/parallel.h"
#include "core/sweep/chance.h"
#include "core/sweep/cubic_weights.h"
#include "core/sweep/doubts.h"
#include "core/sweep/light_maps.h"
#include "core/sweep/trail_form.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>

namespace pathmark::sweep {
namespace {

constexpr double kStepWidths = 0.35; ///< of a star between members: half a step loses 4 % of S/N
constexpr double kTrailPoints = 0.5; ///< between points of a trail
constexpr double kLeastChecked =
    0.75; ///< of the threshold on the members, from which peaks are followed
constexpr double kChancePeaksFrom =
    0.7; ///< of the threshold for Gaussian noise, peaks above which are counted
constexpr double kApartWidths = 6.0; ///< of a star, by which blocks are moved at least
constexpr double kMostOff = 4.0;
constexpr int kMostRounds = 12; ///< of frames moved against each other
constexpr double kEnoughPeaks = 60.0;
constexpr double kPeakSteps = 4.0; ///< between members that are not of one peak
constexpr int kClimbRounds = 80;
constexpr std::size_t kMostSteps = 200000; ///< of a coordinate

bool isNowhere(const frame::PixelPos& at) {
    return at.x == FramePath::kNowhere;
}

/// How far the frames' places are moved.
using Shifts = std::vector<Velocity>;

/// The light of one member of the family.
class PathLight {
  public:
    PathLight(const std::vector<PathFrame>& frames, const PathFamily& family, const Shifts& shifts)
        : frames_(frames), family_(family), shifts_(shifts) {
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const double noise = frames[i].filtered.scatter;
            const double scale = frames[i].fluxScale;
            // N in 1 / electrons of the reference, D likewise squared, with the noise that was found.
            lightFactors_.push_back(1.0 / (scale * noise * noise));
            squareFactors_.push_back(1.0 / (scale * scale * noise * noise));
            const Velocity& trail = family.frames[i].trail;
            trailShares_.push_back(
                TrailForm(frames[i].fwhmPixels).information(std::hypot(trail.x, trail.y)));
        }
    }

    struct Sum {
        double light = 0.0;
        double information = 0.0;
        int frames = 0;

        [[nodiscard]] double snr() const {
            return information > 0.0 ? light / std::sqrt(information) : 0.0;
        }
    };

    /// Of one frame; no information where it does not see the place.
    [[nodiscard]] Sum in(std::size_t i, const std::array<double, 3>& q) const {
        const PathFrame& frame = frames_[i];
        const FramePath& path = family_.frames[i];
        frame::PixelPos at = path.at(q);
        at.x += shifts_[i].x - frame.corner.x;
        at.y += shifts_[i].y - frame.corner.y;
        const double length = std::hypot(path.trail.x, path.trail.y);
        const int points = 1 + static_cast<int>(length / (kTrailPoints * frame.fwhmPixels));
        double light = 0.0;
        double information = 0.0;
        for (int k = 0; k < points; ++k) {
            const double share = (k + 0.5) / points - 0.5;
            const double x = at.x + share * path.trail.x;
            const double y = at.y + share * path.trail.y;
            const auto ix = static_cast<int>(std::floor(x));
            const auto iy = static_cast<int>(std::floor(y));
            if (!frame.filtered.light.contains(ix - 1, iy - 1) ||
                !frame.filtered.light.contains(ix + 2, iy + 2)) {
                continue;
            }
            light += between(frame.filtered.light, ix, iy, x - ix, y - iy);
            information += static_cast<double>(frame.filtered.information.at(
                static_cast<int>(std::floor(x + 0.5)), static_cast<int>(std::floor(y + 0.5))));
        }
        if (!(information > 0.0)) {
            return {};
        }
        return {lightFactors_[i] * light / points,
                squareFactors_[i] * trailShares_[i] * information / points,
                1};
    }

    /// What counts of the light there; see FoundPath::height.
    [[nodiscard]] double heightAt(const std::array<double, 3>& q) const {
        Sum sum;
        for (std::size_t i = 0; i < frames_.size(); ++i) {
            add(in(i, q), false, sum);
        }
        return heightOf(sum.snr(), q);
    }

    [[nodiscard]] double heightOf(double snr, const std::array<double, 3>& q) const {
        return snr > 0.0 ? std::sqrt(std::max(0.0, snr * snr + 2.0 * family_.logLikelyAt(q))) : 0.0;
    }

    /// See struckFrames().
    [[nodiscard]] std::vector<bool> struck(const std::array<double, 3>& q) const {
        std::vector<FrameLight> lights;
        lights.reserve(frames_.size());
        for (std::size_t i = 0; i < frames_.size(); ++i) {
            const Sum here = in(i, q);
            lights.push_back({here.light, here.information});
        }
        return struckFrames(lights);
    }

    /// Of frames that nothing struck.
    [[nodiscard]] Sum
    without(const std::vector<bool>& isStruck, const std::array<double, 3>& q, bool wholly) const {
        Sum sum;
        for (std::size_t i = 0; i < frames_.size(); ++i) {
            if (!isStruck[i]) {
                add(in(i, q), wholly, sum);
            }
        }
        return sum;
    }

    /// Whether it may be a body: its light is there frame by frame, and in both halves of what the frames know.
    [[nodiscard]] bool isLikely(const std::array<double, 3>& q) const {
        const std::vector<bool> isStruck = struck(q);
        const Sum all = without(isStruck, q, false);
        if (all.frames < 3) {
            return false;
        }
        const double mean = all.light / all.information;
        double chi = 0.0;
        Sum first;
        for (std::size_t i = 0; i < frames_.size(); ++i) {
            const Sum here = in(i, q);
            if (!(here.information > 0.0) || isStruck[i]) {
                continue;
            }
            const double bound = kMostSigma * std::sqrt(here.information);
            const double light = std::clamp(here.light, -bound, bound);
            const double off = (light - mean * here.information) / std::sqrt(here.information);
            const double unlike = off / bearable(mean * std::sqrt(here.information));
            chi += unlike * unlike;
            if (first.information < 0.5 * all.information) {
                first.light += light;
                first.information += here.information;
            }
        }
        const Sum second{all.light - first.light, all.information - first.information, 0};
        const auto halfIsThere = [&](const Sum& half) {
            return half.information < 0.1 * all.information ||
                   half.snr() > 0.6 * mean * std::sqrt(half.information) - 0.5 * kMostOff;
        };
        return (chi - (all.frames - 1)) / std::sqrt(2.0 * (all.frames - 1)) < kMostOff &&
               halfIsThere(first) && halfIsThere(second);
    }

  private:
    static void add(const Sum& here, bool wholly, Sum& sum) {
        const double most = kMostSigma * std::sqrt(here.information);
        sum.light += wholly ? here.light : std::clamp(here.light, -most, most);
        sum.information += here.information;
        sum.frames += here.frames;
    }

    static double between(const frame::Image& image, int x, int y, double u, double v) {
        const auto weights = cubicWeights(u);
        const auto rows = cubicWeights(v);
        double sum = 0.0;
        for (int k = 0; k < 4; ++k) {
            const auto row = image.row(y - 1 + k).subspan(static_cast<std::size_t>(x - 1), 4);
            sum += rows[static_cast<std::size_t>(k)] * (weights[0] * static_cast<double>(row[0]) +
                                                        weights[1] * static_cast<double>(row[1]) +
                                                        weights[2] * static_cast<double>(row[2]) +
                                                        weights[3] * static_cast<double>(row[3]));
        }
        return sum;
    }

    const std::vector<PathFrame>& frames_;
    const PathFamily& family_;
    const Shifts& shifts_;
    std::vector<double> lightFactors_;
    std::vector<double> squareFactors_;
    std::vector<double> trailShares_;
};

/// The members over the family's coordinates.
struct Members {
    std::array<std::size_t, 3> counts{1, 1, 1};

    [[nodiscard]] std::array<double, 3> at(const std::array<std::size_t, 3>& k) const {
        std::array<double, 3> q{};
        for (std::size_t d = 0; d < 3; ++d) {
            q[d] = counts[d] == 1
                       ? 0.0
                       : 2.0 * static_cast<double>(k[d]) / static_cast<double>(counts[d] - 1) - 1.0;
        }
        return q;
    }

    [[nodiscard]] double step(std::size_t d) const {
        return counts[d] == 1 ? 0.0 : 2.0 / static_cast<double>(counts[d] - 1);
    }

    [[nodiscard]] double size() const {
        return static_cast<double>(counts[0]) * static_cast<double>(counts[1]) *
               static_cast<double>(counts[2]);
    }
};

Members membersOf(const std::vector<PathFrame>& frames, const PathFamily& family) {
    std::array<double, 3> widths{}; // of stars, from -1 to 1, in the frame where it is most
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const FramePath& path = family.frames[i];
        double length = 0.0;
        for (std::size_t k = 1; k < path.line.size(); ++k) {
            if (isNowhere(path.line[k - 1]) || isNowhere(path.line[k])) {
                continue;
            }
            length += std::hypot(path.line[k].x - path.line[k - 1].x,
                                 path.line[k].y - path.line[k - 1].y);
        }
        widths[0] = std::max(widths[0], length / frames[i].fwhmPixels);
        for (std::size_t d = 0; d < 2; ++d) {
            widths[d + 1] =
                std::max(widths[d + 1],
                         2.0 * std::hypot(path.aside[d].x, path.aside[d].y) / frames[i].fwhmPixels);
        }
    }
    Members members;
    for (std::size_t d = 0; d < family.coordinates; ++d) {
        members.counts[d] = std::clamp<std::size_t>(
            1 + static_cast<std::size_t>(std::ceil(widths[d] / kStepWidths)), 1, kMostSteps);
    }
    return members;
}

/// Climbs by halving steps along each coordinate.
FoundPath climbed(const PathLight& light, std::array<double, 3> q, const Members& members) {
    double best = light.heightAt(q);
    std::array<double, 3> step{};
    for (std::size_t d = 0; d < 3; ++d) {
        step[d] = 0.5 * members.step(d);
    }
    for (int round = 0; round < kClimbRounds; ++round) {
        bool moved = false;
        for (std::size_t d = 0; d < 3; ++d) {
            for (const double sign : {-1.0, 1.0}) {
                auto next = q;
                next[d] = std::clamp(q[d] + sign * step[d], -1.0, 1.0);
                const double there = step[d] > 0.0 ? light.heightAt(next) : 0.0;
                if (there > best) {
                    best = there;
                    q = next;
                    moved = true;
                }
            }
        }
        if (!moved) {
            for (double& one : step) {
                one *= 0.5;
            }
            if (step[0] < 0.02 * members.step(0)) {
                break;
            }
        }
    }
    FoundPath found;
    found.q = q;
    const std::vector<bool> isStruck = light.struck(q);
    found.snr = light.without(isStruck, q, false).snr();
    found.height = light.heightOf(found.snr, q);
    const auto whole = light.without(isStruck, q, true);
    found.wholeSnr = whole.snr();
    found.electrons = whole.information > 0.0 ? whole.light / whole.information : 0.0;
    found.frames = whole.frames;
    return found;
}

/// Peaks above a height, each once, the highest first.
Result<std::vector<FoundPath>>
peaksOf(const PathLight& light, const Members& members, double least, const Job& job) {
    const std::size_t rows = members.counts[1] * members.counts[2];
    const std::size_t columns = members.counts[0];
    std::vector<float> heights(rows * columns);
    parallelFor(columns, [&](std::size_t k) {
        for (std::size_t row = 0; row < rows && !job.stop.stop_requested(); ++row) {
            heights[row * columns + k] = static_cast<float>(
                light.heightAt(members.at({k, row % members.counts[1], row / members.counts[1]})));
        }
    });
    if (job.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    std::vector<std::size_t> order;
    for (std::size_t k = 0; k < heights.size(); ++k) {
        if (static_cast<double>(heights[k]) > kLeastChecked * least) {
            order.push_back(k);
        }
    }
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return heights[a] != heights[b] ? heights[a] > heights[b] : a < b;
    });
    std::vector<FoundPath> peaks;
    const auto isNear = [&](const std::array<double, 3>& q) {
        return std::any_of(peaks.begin(), peaks.end(), [&](const FoundPath& peak) {
            for (std::size_t d = 0; d < 3; ++d) {
                if (members.counts[d] > 1 &&
                    std::abs(peak.q[d] - q[d]) >= kPeakSteps * members.step(d)) {
                    return false;
                }
            }
            return true;
        });
    };
    for (const std::size_t k : order) {
        const std::size_t row = k / columns;
        const auto q = members.at({k % columns, row % members.counts[1], row / members.counts[1]});
        if (isNear(q)) {
            continue;
        }
        const FoundPath peak = climbed(light, q, members);
        if (peak.height >= least && !isNear(peak.q)) {
            peaks.push_back(peak);
        }
    }
    return peaks;
}

/// Each block moved by some widths of a star, another way in each round.
Shifts blocksApart(const std::vector<PathFrame>& frames, int round) {
    Shifts shifts;
    for (const PathFrame& frame : frames) {
        const auto block = static_cast<double>(frame.block);
        const double angle = 2.4 * block + 0.7 * round;
        const double far = frame.fwhmPixels * kApartWidths *
                           (1.0 + 0.5 * std::fmod(block, 2.0) + 0.15 * static_cast<double>(round));
        shifts.push_back({far * std::cos(angle), far * std::sin(angle)});
    }
    return shifts;
}

} // namespace

frame::PixelPos FramePath::at(const std::array<double, 3>& q) const {
    const auto last = static_cast<double>(line.size() - 1);
    const double place = std::clamp(0.5 * (q[0] + 1.0), 0.0, 1.0) * last;
    const auto k = std::min(static_cast<std::size_t>(place), line.size() - 2);
    const frame::PixelPos& b = line[k];
    const frame::PixelPos& c = line[k + 1];
    if (isNowhere(b) || isNowhere(c)) {
        return {kNowhere, kNowhere};
    }
    // Beyond the ends it goes on straight.
    const frame::PixelPos a = k > 0 && !isNowhere(line[k - 1])
                                  ? line[k - 1]
                                  : frame::PixelPos{2.0 * b.x - c.x, 2.0 * b.y - c.y};
    const frame::PixelPos d = k + 2 < line.size() && !isNowhere(line[k + 2])
                                  ? line[k + 2]
                                  : frame::PixelPos{2.0 * c.x - b.x, 2.0 * c.y - b.y};
    const auto w = cubicWeights(place - static_cast<double>(k));
    return {
        w[0] * a.x + w[1] * b.x + w[2] * c.x + w[3] * d.x + q[1] * aside[0].x + q[2] * aside[1].x,
        w[0] * a.y + w[1] * b.y + w[2] * c.y + w[3] * d.y + q[1] * aside[0].y + q[2] * aside[1].y};
}

double PathFamily::logLikelyAt(const std::array<double, 3>& q) const {
    double sum = 0.0;
    for (std::size_t d = 0; d < asideSigmas.size(); ++d) {
        const double off = asideSigmas[d] * q[d + 1];
        sum -= 0.5 * off * off;
    }
    if (logLikely.size() > 1) {
        const double place =
            std::clamp(0.5 * (q[0] + 1.0), 0.0, 1.0) * static_cast<double>(logLikely.size() - 1);
        const auto k = std::min(static_cast<std::size_t>(place), logLikely.size() - 2);
        const double share = place - static_cast<double>(k);
        sum += (1.0 - share) * logLikely[k] + share * logLikely[k + 1];
    }
    return sum;
}

Result<PathSearchResult> searchPaths(const std::vector<PathFrame>& frames,
                                     const PathFamily& family,
                                     double falseAlarms,
                                     const Job& job) {
    const Members members = membersOf(frames, family);
    PathSearchResult result;
    result.tried = members.size();
    const int dimensions = static_cast<int>(family.coordinates);
    const Chance gaussian = Chance::gaussian(result.tried, dimensions);
    const double expected = gaussian.threshold(falseAlarms);
    const double from = kChancePeaksFrom * expected;
    job.progress("Adding along the orbit", 0, 1);
    const Shifts none(frames.size());
    const PathLight asItIs(frames, family, none);
    auto peaks = peaksOf(asItIs, members, from, job);
    if (!peaks) {
        return fail(peaks.error());
    }
    std::vector<double> heights;
    int rounds = 0;
    for (; rounds < kMostRounds && static_cast<double>(heights.size()) < kEnoughPeaks; ++rounds) {
        job.progress("Measuring what chance does", rounds, kMostRounds);
        const Shifts shifts = blocksApart(frames, rounds);
        const PathLight apart(frames, family, shifts);
        const auto chance = peaksOf(apart, members, from, job);
        if (!chance) {
            return fail(chance.error());
        }
        for (const FoundPath& peak : *chance) {
            if (apart.isLikely(peak.q)) {
                heights.push_back(peak.height);
            }
        }
    }
    const Chance chance(heights, from, rounds, dimensions);
    result.thresholdSnr = chance.threshold(falseAlarms);
    for (FoundPath& peak : *peaks) {
        if (peak.height >= result.thresholdSnr && asItIs.isLikely(peak.q)) {
            peak.log10FalseAlarms = chance.log10Expected(peak.height);
            result.found.push_back(peak);
        }
    }
    std::stable_sort(result.found.begin(), result.found.end(), [](const auto& a, const auto& b) {
        return a.height > b.height;
    });
    job.message(
        fmt::format("{:.0f} orbits of the family tried over {} frames; threshold S/N {:.2f}.",
                    result.tried,
                    frames.size(),
                    result.thresholdSnr));
    return result;
}

} // namespace pathmark::sweep
