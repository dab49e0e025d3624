#include "core/detect/detect.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/detect/matched_filter.h"
#include "core/detect/point_fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <tuple>
#include <utility>

namespace pathmark::detect {
namespace {

constexpr double kFirstFwhm = 3.0;
constexpr int kShapeStars = 50;

/// True where a star within `radius` is saturated.
bool isSaturated(const frame::Image& image, int x, int y, int radius, std::optional<double> level) {
    if (!level) {
        return false;
    }
    for (int j = -radius; j <= radius; ++j) {
        for (int i = -radius; i <= radius; ++i) {
            if (image.contains(x + i, y + j) &&
                static_cast<double>(image.at(x + i, y + j)) >= *level) {
                return true;
            }
        }
    }
    return false;
}

/// Light in one pixel only: the neighbours of a star's peak always share in it.
bool isSpike(const frame::Image& sky, int x, int y) {
    float peak = -1e30F;
    int px = x;
    int py = y;
    for (int j = -1; j <= 1; ++j) {
        for (int i = -1; i <= 1; ++i) {
            if (sky.contains(x + i, y + j) && sky.at(x + i, y + j) > peak) {
                peak = sky.at(x + i, y + j);
                px = x + i;
                py = y + j;
            }
        }
    }
    float sum = 0.0F;
    int count = 0;
    for (const auto& [i, j] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
        if (sky.contains(px + i, py + j) && std::isfinite(sky.at(px + i, py + j))) {
            sum += sky.at(px + i, py + j);
            ++count;
        }
    }
    return count == 0 || sum / static_cast<float>(count) < 0.12F * peak;
}

/// The frame's star shape: the median of fits to its brightest good stars.
Result<Moffat> learnShape(const frame::Image& sky,
                          const frame::Image& image,
                          const Background& background,
                          const std::vector<Peak>& peaks,
                          std::optional<double> saturation,
                          double firstFwhm) {
    std::vector<Peak> chosen;
    for (const Peak& peak : peaks) {
        if (static_cast<int>(chosen.size()) >= kShapeStars || peak.snr < 15.0F) {
            break;
        }
        const bool alone = std::none_of(peaks.begin(), peaks.end(), [&](const Peak& other) {
            const double distance = std::hypot(other.x - peak.x, other.y - peak.y);
            return distance > 0.0 && distance < 5.0 * firstFwhm && other.snr > 0.03F * peak.snr;
        });
        if (alone && !isSpike(sky, peak.x, peak.y) &&
            !isSaturated(image, peak.x, peak.y, 4, saturation)) {
            chosen.push_back(peak);
        }
    }
    Moffat shape = Moffat::round(firstFwhm, 3.0);
    for (const bool freeBeta : {true, false}) {
        std::vector<std::optional<Moffat>> fits(chosen.size());
        parallelFor(chosen.size(), [&](std::size_t i) {
            const double noise =
                std::max(1e-6, static_cast<double>(background.noise(chosen[i].x, chosen[i].y)));
            const auto fit = fitMoffat(sky, chosen[i].x, chosen[i].y, noise, shape, freeBeta);
            if (fit) {
                fits[i] = fit->shape;
            }
        });
        std::array<std::vector<double>, 4> values;
        for (const auto& fit : fits) {
            if (fit && fit->fwhm() < 3.0 * firstFwhm + 5.0) {
                values[0].push_back(fit->a);
                values[1].push_back(fit->b);
                values[2].push_back(fit->c);
                values[3].push_back(std::clamp(fit->beta, 1.8, 8.0));
            }
        }
        if (values[0].size() < 3) {
            return fail(
                ErrorId::DetectNoSources,
                "Fewer than three clear stars; the frame may be clouded, out of focus or no "
                "picture of the sky.");
        }
        const double beta = freeBeta ? medianInPlace(std::span(values[3])) : shape.beta;
        shape = {medianInPlace(std::span(values[0])),
                 medianInPlace(std::span(values[1])),
                 medianInPlace(std::span(values[2])),
                 beta};
    }
    return shape;
}

/// Size and form of one source from moments under a Gaussian window of the frame's own width.
///
/// Source   Kaiser, Squires & Broadhurst 1995, ApJ 449, 460, eq. 2 (weighted second moments).
void measureForm(const frame::Image& sky, double fwhm, Source& source) {
    const double windowSigma = fwhm / 2.3548;
    const int radius = static_cast<int>(std::ceil(3.0 * windowSigma));
    const int cx = static_cast<int>(std::lround(source.x));
    const int cy = static_cast<int>(std::lround(source.y));
    double sum = 0.0;
    double xx = 0.0;
    double yy = 0.0;
    double xy = 0.0;
    for (int j = -radius; j <= radius; ++j) {
        for (int i = -radius; i <= radius; ++i) {
            if (!sky.contains(cx + i, cy + j) || !std::isfinite(sky.at(cx + i, cy + j))) {
                continue;
            }
            const double dx = cx + i - source.x;
            const double dy = cy + j - source.y;
            const double weight =
                std::exp(-0.5 * (dx * dx + dy * dy) / (windowSigma * windowSigma)) *
                static_cast<double>(sky.at(cx + i, cy + j));
            sum += weight;
            xx += weight * dx * dx;
            yy += weight * dy * dy;
            xy += weight * dx * dy;
        }
    }
    source.fwhm = fwhm;
    source.elongation = 1.0;
    if (!(sum > 0.0)) {
        return;
    }
    const double mean = 0.5 * (xx + yy) / sum;
    const double difference = std::hypot(0.5 * (xx - yy), xy) / sum;
    // A Gaussian under a Gaussian window: 1/observed = 1/true + 1/window.
    const auto widen = [&](double observed) {
        const double inverse = 1.0 / std::max(observed, 1e-3) - 1.0 / (windowSigma * windowSigma);
        return inverse > 1e-3 ? 1.0 / inverse : 1e3;
    };
    const double major = widen(mean + difference);
    const double minor = widen(mean - difference);
    source.fwhm = 2.3548 * std::pow(major * minor, 0.25);
    source.elongation = std::sqrt(major / std::max(minor, 1e-6));
}

/// Sources of the last round, to be taken off around each other.
class NeighbourGrid {
  public:
    NeighbourGrid(const std::vector<Source>& sources, double cell)
        : sources_(sources), cell_(cell) {
        for (std::size_t i = 0; i < sources.size(); ++i) {
            cells_[key(sources[i].x, sources[i].y)].push_back(i);
        }
    }

    [[nodiscard]] std::vector<std::size_t> within(std::size_t self, double radius) const {
        std::vector<std::size_t> found;
        const Source& own = sources_[self];
        const int reach = static_cast<int>(std::ceil(radius / cell_));
        const auto [kx, ky] = key(own.x, own.y);
        for (int j = -reach; j <= reach; ++j) {
            for (int i = -reach; i <= reach; ++i) {
                const auto cell = cells_.find({kx + i, ky + j});
                if (cell == cells_.end()) {
                    continue;
                }
                for (const std::size_t other : cell->second) {
                    if (other != self &&
                        std::hypot(sources_[other].x - own.x, sources_[other].y - own.y) < radius) {
                        found.push_back(other);
                    }
                }
            }
        }
        std::sort(found.begin(), found.end());
        return found;
    }

  private:
    [[nodiscard]] std::pair<int, int> key(double x, double y) const {
        return {static_cast<int>(std::floor(x / cell_)), static_cast<int>(std::floor(y / cell_))};
    }

    const std::vector<Source>& sources_;
    double cell_;
    std::map<std::pair<int, int>, std::vector<std::size_t>> cells_;
};

/// One source fitted on its window with the other sources' light taken off.
std::optional<Source> fitAmongOthers(const frame::Image& sky,
                                     const Background& background,
                                     const PointSpread& spread,
                                     const std::vector<Source>& all,
                                     std::size_t self,
                                     const std::vector<std::size_t>& others) {
    const Source& start = all[self];
    const int half = spread.radius() + 1;
    const int cx = static_cast<int>(std::lround(start.x));
    const int cy = static_cast<int>(std::lround(start.y));
    frame::Image window(2 * half + 1, 2 * half + 1);
    for (int j = -half; j <= half; ++j) {
        for (int i = -half; i <= half; ++i) {
            float v = std::nanf("");
            if (sky.contains(cx + i, cy + j)) {
                v = sky.at(cx + i, cy + j);
                for (const std::size_t other : others) {
                    v -= static_cast<float>(
                        all[other].flux *
                        spread.at(cx + i - all[other].x, cy + j - all[other].y).value);
                }
            }
            window.at(half + i, half + j) = v;
        }
    }
    PointFitOptions options;
    options.noise = std::max(1e-6, static_cast<double>(background.noise(start.x, start.y)));
    options.freeSky = false;
    options.windowFwhm = 1.5;
    const auto fit =
        fitPoint(window, spread, start.x - cx + half, start.y - cy + half, {}, options);
    if (!fit || !(fit->flux > 0.0)) {
        return std::nullopt;
    }
    Source source = start;
    source.x = fit->x + cx - half;
    source.y = fit->y + cy - half;
    source.xError = fit->xError;
    source.yError = fit->yError;
    source.flux = fit->flux;
    source.fluxError = fit->fluxError;
    source.snr = fit->flux / fit->fluxError;
    source.chiSquare = fit->chiSquare;
    return source;
}

std::vector<Source> fitAll(const frame::Image& sky,
                           const Background& background,
                           const PointSpread& spread,
                           std::vector<Source> sources) {
    for (int round = 0; round < 3; ++round) {
        const NeighbourGrid grid(sources, spread.radius());
        std::vector<std::optional<Source>> fitted(sources.size());
        parallelFor(sources.size(), [&](std::size_t i) {
            auto others = grid.within(i, 2.0 * spread.radius());
            const double noise = static_cast<double>(background.noise(sources[i].x, sources[i].y));
            // Light that does not reach this window does not matter; a source without such others is settled.
            std::erase_if(others, [&](std::size_t other) {
                const double apart =
                    std::hypot(sources[other].x - sources[i].x, sources[other].y - sources[i].y);
                const double nearest = std::max(0.0, apart - 1.5 * spread.fwhm() - 1.0);
                return sources[other].flux * spread.at(nearest, 0.0).value < 0.1 * noise;
            });
            if (round > 0 && others.empty()) {
                fitted[i] = sources[i];
                return;
            }
            fitted[i] = fitAmongOthers(sky, background, spread, sources, i, others);
            if (fitted[i]) {
                for (const std::size_t other : others) {
                    if (std::hypot(sources[other].x - sources[i].x,
                                   sources[other].y - sources[i].y) < 2.0 * spread.fwhm()) {
                        fitted[i]->flags |= kBlended;
                    }
                }
            }
        });
        std::vector<Source> next;
        for (const auto& source : fitted) {
            if (source) {
                next.push_back(*source);
            }
        }
        sources = std::move(next);
    }
    return sources;
}

void setFlags(const frame::Image& image,
              const frame::Image& sky,
              double fwhm,
              std::optional<double> saturation,
              Source& source) {
    const int x = static_cast<int>(std::lround(source.x));
    const int y = static_cast<int>(std::lround(source.y));
    if (isSaturated(image, x, y, std::max(2, static_cast<int>(fwhm)), saturation)) {
        source.flags |= kSaturated;
    }
    if (isSpike(sky, x, y) || source.fwhm < 0.6 * fwhm) {
        source.flags |= kSharp;
    }
    if (source.fwhm > 1.6 * fwhm && source.snr > 10.0) {
        source.flags |= kExtended;
    }
    if (source.chiSquare > 3.0) {
        source.flags |= kPoorFit;
    }
}

} // namespace

std::string flagText(std::uint32_t flags) {
    static constexpr std::array<std::pair<SourceFlag, const char*>, 5> names{{
        {kSaturated, "saturated"},
        {kBlended, "blended"},
        {kSharp, "sharp"},
        {kExtended, "extended"},
        {kPoorFit, "poor-fit"},
    }};
    std::string text;
    for (const auto& [flag, word] : names) {
        if ((flags & flag) != 0) {
            text += (text.empty() ? "" : "+") + std::string(word);
        }
    }
    return text;
}

Result<Detection> detectSources(const frame::Image& image, const DetectOptions& options) {
    Background background(image);
    const frame::Image sky = background.subtractFrom(image);
    const auto threshold = static_cast<float>(options.threshold);
    auto peaks = findPeaks(filterForPoints(sky, background, kFirstFwhm), threshold, 3);
    auto shape = learnShape(sky, image, background, peaks, options.saturation, kFirstFwhm);
    if (!shape) {
        return fail(shape.error());
    }
    const double fwhm = shape->fwhm();
    if (std::abs(fwhm / kFirstFwhm - 1.0) > 0.15) {
        // The first filter was of the wrong width: look again with the right one.
        peaks = findPeaks(filterForPoints(sky, background, fwhm), threshold, 3);
        if (auto again = learnShape(sky, image, background, peaks, options.saturation, fwhm)) {
            shape = again;
        }
    }
    Detection result{
        std::move(background), PointSpread(*shape), {}, shape->fwhm(), shape->elongation()};
    if (peaks.size() > static_cast<std::size_t>(options.maxSources)) {
        peaks.resize(static_cast<std::size_t>(options.maxSources));
    }
    std::vector<Source> starts;
    for (const Peak& peak : peaks) {
        Source source;
        source.x = peak.x;
        source.y = peak.y;
        source.flux = std::max(0.0, static_cast<double>(sky.at(peak.x, peak.y))) /
                      result.spread.at(0.0, 0.0).value;
        starts.push_back(source);
    }
    result.sources = fitAll(sky, result.sky, result.spread, std::move(starts));
    std::erase_if(result.sources, [&](const Source& s) { return s.snr < options.threshold; });
    parallelFor(result.sources.size(), [&](std::size_t i) {
        measureForm(sky, result.fwhm, result.sources[i]);
        setFlags(image, sky, result.fwhm, options.saturation, result.sources[i]);
    });
    std::sort(result.sources.begin(), result.sources.end(), [](const Source& a, const Source& b) {
        return std::tuple(-a.flux, a.y, a.x) < std::tuple(-b.flux, b.y, b.x);
    });
    return result;
}

} // namespace pathmark::detect
