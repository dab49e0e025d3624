#include "core/detect/detect.h"

#include "core/base/parallel.h"
#include "core/detect/blends.h"
#include "core/detect/learn_shape.h"
#include "core/detect/matched_filter.h"
#include "core/detect/second_look.h"
#include "core/detect/star_form.h"
#include "core/detect/star_window.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>
#include <utility>

namespace pathmark::detect {
namespace {

constexpr double kFirstFwhm = 3.0;
constexpr int kBorder = 3;
constexpr std::size_t kChunk = 64;       // sources that share one room to work in
constexpr std::size_t kLargestGroup = 6; // sources fitted at once

/// Everything that the fits of one frame share.
struct Scene {
    const frame::Image& image;
    const Background& sky;
    const PointSpreadField& spread;
    const DetectOptions& options;
    int half; ///< of a star's window

    [[nodiscard]] double fwhm() const { return spread.middle().fwhm(); }
};

int middle(double place) {
    return static_cast<int>(std::lround(place));
}

/// Runs body(i, window, patch) for all i, with room of their own for each chunk.
template <typename Body>
void forSources(const Scene& scene, std::size_t count, const Body& body) {
    parallelFor((count + kChunk - 1) / kChunk, [&](std::size_t chunk) {
        StarWindow window(scene.half);
        SpreadPatch patch(scene.half);
        for (std::size_t i = chunk * kChunk; i < std::min(count, (chunk + 1) * kChunk); ++i) {
            body(i, window, patch);
        }
    });
}

/// The others whose light reaches the window of a source.
std::vector<std::size_t> disturbers(const Scene& scene,
                                    const std::vector<Source>& sources,
                                    const NeighbourGrid& grid,
                                    std::size_t self) {
    const int radius = scene.spread.radius();
    auto others = grid.within(self, 1.5 * radius);
    const auto noise = static_cast<double>(scene.sky.noise(sources[self].x, sources[self].y));
    std::erase_if(others, [&](std::size_t other) {
        const double apart =
            std::hypot(sources[other].x - sources[self].x, sources[other].y - sources[self].y);
        const double nearest = std::max(0.0, apart - scene.half);
        const double trail = scene.spread.middle().trailHalf();
        return sources[other].flux *
                   scene.spread.middle().at(std::max(0.0, nearest - trail), 0.0).value <
               0.1 * noise;
    });
    return others;
}

void setFit(const StarFit& fit, Source& source) {
    source.x = fit.x;
    source.y = fit.y;
    source.xError = fit.xError;
    source.yError = fit.yError;
    source.flux = fit.flux;
    source.fluxError = fit.fluxError;
    source.snr = fit.flux / fit.fluxError;
    source.chiSquare = fit.chiSquare;
}

/// Fits every source with the others' light of the last round taken off; what cannot be fitted is dropped.
/// `first`: all are fitted, else only those whose neighbours may have changed.
std::vector<Source> fitRound(const Scene& scene,
                             const std::vector<Source>& sources,
                             bool first,
                             double settledPixels = 2e-4) {
    const NeighbourGrid grid(sources, scene.spread.radius());
    std::vector<std::optional<Source>> fitted(sources.size());
    forSources(scene, sources.size(), [&](std::size_t i, StarWindow& window, SpreadPatch& patch) {
        const auto others = disturbers(scene, sources, grid, i);
        if (!first && others.empty() && sources[i].fluxError > 0.0) {
            fitted[i] = sources[i];
            return;
        }
        const int cx = middle(sources[i].x);
        const int cy = middle(sources[i].y);
        window.take(scene.image, scene.sky, cx, cy, scene.options.saturation);
        for (const std::size_t other : others) {
            takeOffSource(sources[other], scene.spread, cx, cy, window);
        }
        const auto fit =
            fitStar(window, scene.spread, cx, cy, sources[i].x, sources[i].y, patch, settledPixels);
        if (!fit) {
            return;
        }
        fitted[i] = sources[i];
        setFit(*fit, *fitted[i]);
        for (const std::size_t other : others) {
            if (std::hypot(sources[other].x - sources[i].x, sources[other].y - sources[i].y) <
                2.0 * scene.fwhm()) {
                fitted[i]->flags |= kBlended;
            }
        }
    });
    std::vector<Source> next;
    next.reserve(fitted.size());
    for (const auto& source : fitted) {
        if (source) {
            next.push_back(*source);
        }
    }
    return next;
}

/// Stars hidden under brighter ones, from what the fits leave.
std::vector<Source> findHidden(const Scene& scene, const std::vector<Source>& sources) {
    const NeighbourGrid grid(sources, scene.spread.radius());
    std::vector<std::optional<Source>> found(sources.size());
    forSources(scene, sources.size(), [&](std::size_t i, StarWindow& window, SpreadPatch&) {
        const Source& source = sources[i];
        if (source.chiSquare < 1.4 || source.snr < 12.0) {
            return;
        }
        const int cx = middle(source.x);
        const int cy = middle(source.y);
        window.take(scene.image, scene.sky, cx, cy, scene.options.saturation);
        if (window.used() < (2 * scene.half + 1) * (2 * scene.half + 1)) {
            return; // saturated or at an edge: what is left there proves nothing
        }
        for (const std::size_t other : disturbers(scene, sources, grid, i)) {
            takeOffSource(sources[other], scene.spread, cx, cy, window);
        }
        found[i] = findCompanion(
            source, scene.spread, cx, cy, window, std::max(6.0, scene.options.threshold));
    });
    std::vector<Source> hidden;
    for (const auto& one : found) {
        if (one) {
            hidden.push_back(*one);
        }
    }
    return hidden;
}

/// Sets of sources so close that one's place depends on the other's.
std::vector<std::vector<std::size_t>> closeGroups(const Scene& scene,
                                                  const std::vector<Source>& sources) {
    const NeighbourGrid grid(sources, scene.spread.radius());
    std::vector<bool> seen(sources.size(), false);
    std::vector<std::vector<std::size_t>> groups;
    for (std::size_t i = 0; i < sources.size(); ++i) {
        if (seen[i] || (sources[i].flags & kBlended) == 0) {
            continue;
        }
        std::vector<std::size_t> group;
        std::vector<std::size_t> open{i};
        seen[i] = true;
        while (!open.empty()) {
            const std::size_t at = open.back();
            open.pop_back();
            group.push_back(at);
            for (const std::size_t near : grid.within(at, 1.5 * scene.fwhm())) {
                if (!seen[near]) {
                    seen[near] = true;
                    open.push_back(near);
                }
            }
        }
        if (group.size() > 1 && group.size() <= kLargestGroup) {
            std::sort(group.begin(), group.end());
            groups.push_back(std::move(group));
        }
    }
    return groups;
}

/// Fits close groups together; one that does not settle keeps the single fits.
void fitGroups(const Scene& scene, std::vector<Source>& sources) {
    const auto groups = closeGroups(scene, sources);
    const std::vector<Source> before = sources;
    const NeighbourGrid grid(before, scene.spread.radius());
    parallelFor(groups.size(), [&](std::size_t g) {
        std::vector<Source> members;
        double x = 0.0;
        double y = 0.0;
        for (const std::size_t i : groups[g]) {
            members.push_back(before[i]);
            x += before[i].x / static_cast<double>(groups[g].size());
            y += before[i].y / static_cast<double>(groups[g].size());
        }
        double extent = 0.0;
        for (const Source& s : members) {
            extent = std::max(extent, std::max(std::abs(s.x - x), std::abs(s.y - y)));
        }
        const int cx = middle(x);
        const int cy = middle(y);
        StarWindow window(scene.half + static_cast<int>(std::ceil(extent)));
        window.take(scene.image, scene.sky, cx, cy, scene.options.saturation);
        std::vector<std::size_t> taken = groups[g];
        for (const std::size_t i : groups[g]) {
            for (const std::size_t other : grid.within(i, 1.5 * scene.spread.radius())) {
                if (std::find(taken.begin(), taken.end(), other) == taken.end()) {
                    taken.push_back(other);
                    takeOffSource(before[other], scene.spread, cx, cy, window);
                }
            }
        }
        if (fitTogether(members, scene.spread, cx, cy, window)) {
            for (std::size_t k = 0; k < members.size(); ++k) {
                sources[groups[g][k]] = members[k];
            }
        }
    });
}

/// How far the light of each source stands out of the noise.
std::vector<Disc> discsOf(const Scene& scene, const std::vector<Source>& sources) {
    std::vector<Disc> discs;
    discs.reserve(sources.size());
    for (const Source& s : sources) {
        // The mean of a cell is known to a fiftieth of its noise: so far must wings be left out.
        const double limit = 0.02 * std::max(1e-6, static_cast<double>(scene.sky.noise(s.x, s.y)));
        const double reach = scene.spread.middle().lightRadius(s.flux, limit);
        discs.push_back({s.x, s.y, std::clamp(reach, scene.fwhm(), 60.0)});
    }
    return discs;
}

/// Widens errors where the sky is rougher than its pixels tell.
void addExcess(const Scene& scene, const FilterExcess& excess, std::vector<Source>& sources) {
    for (Source& source : sources) {
        const double times = excess.at(source.x, source.y);
        if (times <= 1.0 || !(source.fluxError > 0.0)) {
            continue;
        }
        const auto noise = static_cast<double>(scene.sky.noise(source.x, source.y));
        const double bySky = noise * noise / scene.spread.middle().squareSum();
        const double share = std::min(1.0, bySky / (source.fluxError * source.fluxError));
        const double wider = std::sqrt(1.0 + (times * times - 1.0) * share);
        source.xError *= wider;
        source.yError *= wider;
        source.fluxError *= wider;
        source.snr /= wider;
    }
}

std::vector<Source>
fitAll(const Scene& scene, Background& background, std::vector<Source> sources) {
    // Well enough to know how far each star's light reaches.
    sources = fitRound(scene, sources, true, 0.03);
    background.remeasure(scene.image, discsOf(scene, sources));
    sources = fitRound(scene, sources, true);
    FilterExcess excess;
    const auto most = static_cast<std::size_t>(scene.options.maxSources);
    if (scene.options.looksAgain && sources.size() < most) {
        const SecondLook look =
            secondLook(scene.image, scene.sky, scene.spread, sources, scene.options, kBorder);
        sources.insert(sources.end(), look.sources.begin(), look.sources.end());
        excess = look.excess;
    }
    sources = fitRound(scene, sources, false);
    if (auto hidden = findHidden(scene, sources); !hidden.empty()) {
        sources.insert(sources.end(), hidden.begin(), hidden.end());
        // The hidden ones enter with what the residuals say, so the first fit is of all of them.
        sources = fitRound(scene, sources, false);
    }
    sources = fitRound(scene, sources, false);
    fitGroups(scene, sources);
    addExcess(scene, excess, sources);
    return sources;
}

bool isHit(const StarWindow& window) {
    float peak = 0.0F;
    int px = 0;
    int py = 0;
    for (int j = -1; j <= 1; ++j) {
        for (int i = -1; i <= 1; ++i) {
            const float v = window.data()[window.index(i, j)];
            if (v > peak) {
                peak = v;
                px = i;
                py = j;
            }
        }
    }
    float sum = 0.0F;
    float count = 0.0F;
    for (const auto& [i, j] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
        const std::size_t at = window.index(px + i, py + j);
        sum += window.mask()[at] * window.data()[at];
        count += window.mask()[at];
    }
    // The neighbours of a star's peak always share in its light.
    return count == 0.0F || sum / count < 0.12F * peak;
}

void describe(const Scene& scene, Source& source, StarWindow& window) {
    const int x = middle(source.x);
    const int y = middle(source.y);
    window.take(scene.image, scene.sky, x, y, std::nullopt);
    const StarForm form = measureForm(window, source.x - x, source.y - y, scene.fwhm());
    source.fwhm = form.fwhm;
    source.elongation = form.elongation;
    const int core = std::max(2, static_cast<int>(scene.fwhm()));
    const auto ceiling = static_cast<float>(scene.options.saturation.value_or(1e30));
    for (int j = -core; j <= core; ++j) {
        for (int i = -core; i <= core; ++i) {
            if (!scene.image.contains(x + i, y + j)) {
                source.flags |= kEdge;
                continue;
            }
            const float v = scene.image.at(x + i, y + j);
            source.flags |= v >= ceiling ? kSaturated : 0U;
            source.flags |= std::isnan(v) ? kDefect : 0U;
        }
    }
    const bool trailed = scene.spread.middle().trailHalf() > 1.0;
    if (isHit(window) || (source.fwhm < 0.6 * scene.fwhm() && !trailed)) {
        source.flags |= kSharp;
    }
    if (source.fwhm > 1.6 * scene.fwhm() && source.snr > 10.0 && !trailed) {
        source.flags |= kExtended;
    }
    if (source.chiSquare > 3.0) {
        source.flags |= kPoorFit;
    }
}

/// The share of the signal-to-noise that a Gaussian filter of another width keeps.
double filterEfficiency(double filterFwhm, double fwhm) {
    return 2.0 * filterFwhm * fwhm / (filterFwhm * filterFwhm + fwhm * fwhm);
}

struct Found {
    std::vector<Peak> peaks;
    FieldShape shape;
};

/// Peaks and star shape; the search is repeated where the first filter was of the wrong form.
Result<Found>
findAndLearn(const frame::Image& image, const Background& sky, const DetectOptions& options) {
    const auto threshold = static_cast<float>(options.threshold);
    FilterForm form{options.likelyFwhm.value_or(kFirstFwhm), 0.0, 0.0};
    Found found;
    for (int round = 0; round < 2; ++round) {
        found.peaks = findPoints(image, sky, form, threshold, kBorder);
        auto shape = learnShape(image, sky, found.peaks, {options.saturation, form.fwhm});
        if (!shape) {
            return fail(shape.error());
        }
        found.shape = *shape;
        const double fwhm = shape->middle.profile().fwhm();
        const FilterForm learned{fwhm, shape->trailX, shape->trailY};
        if (!learned.isTrail() && filterEfficiency(form.fwhm, fwhm) > 0.97) {
            return found;
        }
        form = learned;
        if (form.isTrail()) {
            found.peaks = findPoints(image, sky, form, threshold, kBorder);
            return found;
        }
    }
    return found;
}

} // namespace

std::string flagText(std::uint32_t flags) {
    static constexpr std::array<std::pair<SourceFlag, const char*>, 7> names{{
        {kSaturated, "saturated"},
        {kBlended, "blended"},
        {kSharp, "sharp"},
        {kExtended, "extended"},
        {kPoorFit, "poor-fit"},
        {kEdge, "edge"},
        {kDefect, "defect"},
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
    auto found = findAndLearn(image, background, options);
    if (!found) {
        return fail(found.error());
    }
    if (found->peaks.size() > static_cast<std::size_t>(options.maxSources)) {
        found->peaks.resize(static_cast<std::size_t>(options.maxSources));
    }
    Detection result{std::move(background), PointSpreadField(found->shape), {}, 0.0, 1.0};
    const PointSpread& spread = result.spread.middle();
    result.fwhm = spread.fwhm();
    result.elongation = spread.shape().elongation();
    const int wanted =
        std::max(3, static_cast<int>(std::ceil(1.7 * spread.fwhm() + spread.trailHalf())));
    const Scene scene{
        image, result.sky, result.spread, options, std::min(wanted, result.spread.radius() - 2)};
    std::vector<Source> starts;
    starts.reserve(found->peaks.size());
    const double peakShare = spread.at(0.0, 0.0).value;
    for (const Peak& peak : found->peaks) {
        Source source;
        source.x = peak.x;
        source.y = peak.y;
        const float light = image.at(peak.x, peak.y) - result.sky.level(peak.x, peak.y);
        source.flux = light > 0.0F ? static_cast<double>(light) / peakShare : 0.0;
        starts.push_back(source);
    }
    result.sources = fitAll(scene, result.sky, std::move(starts));
    std::erase_if(result.sources, [&](const Source& s) { return s.snr < options.threshold; });
    forSources(scene, result.sources.size(), [&](std::size_t i, StarWindow& window, SpreadPatch&) {
        describe(scene, result.sources[i], window);
    });
    std::sort(result.sources.begin(), result.sources.end(), [](const Source& a, const Source& b) {
        return std::tuple(-a.flux, a.y, a.x) < std::tuple(-b.flux, b.y, b.x);
    });
    return result;
}

} // namespace pathmark::detect
