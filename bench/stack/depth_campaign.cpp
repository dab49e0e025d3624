// How much of what could be had a stack gives: the signal-to-noise of a body against the root of the sum of its squares in the frames,
// on its true motion, with the best weights and no star in its way; and what becomes of the stars' own light, places and widths.
// What a body leaves on a stack is the difference of two that were made alike of the same photons, without the body and with it: it
// holds what clipping, still sky and interpolation take, and no noise. The truth is painted by the simulator's profile at each frame's
// own pixels; nothing of that knows of stacks.
#include "core/base/robust.h"
#include "core/detect/detect.h"
#include "core/stack/coma_extent.h"
#include "core/stack/marked_path.h"
#include "core/stack/still_sky.h"
#include "tests/support/moving_frames.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iostream>
#include <numbers>

namespace {

using namespace pathmark;
using test_support::MovingFrames;
using test_support::MovingFramesPlan;
using test_support::TemporaryFolder;

constexpr double kBrightStar = 200.0; ///< S/N of a star that tells of light and place
constexpr int kSide = 121;            ///< pixels of the stack about the body
constexpr int kFilterHalf = 20;       ///< pixels; half the side of what a filter takes of a body
constexpr simulate::CometForm kComet{12.0, 1.0, 0.0};

/// A body whose light is added to frames without it.
struct Body {
    double electrons = 0.0; ///< at a transparency of 1
    bool isComet = false;
};

simulate::Blur blurOf(const stack::StackFrame& frame) {
    return {frame.fwhm, 0.06, 30.0, 3.2}; // as MovingFrames has it where its seeing changes
}

void paint(frame::Image& image,
           const Body& body,
           const stack::StackFrame& frame,
           frame::PixelPos at) {
    const double electrons = body.electrons / frame.fluxScale;
    if (body.isComet) {
        simulate::paintComet(image, blurOf(frame), at.x, at.y, electrons, kComet);
    } else {
        simulate::paintPoint(image, blurOf(frame), at.x, at.y, electrons);
    }
}

/// The filter for a body that a picture shows in its middle: its light against the mean of the square about it, so that a level of
/// the sky does not count.
std::vector<double> filterFor(const frame::Image& light) {
    constexpr int half = kFilterHalf;
    std::vector<double> filter;
    double mean = 0.0;
    for (int y = -half; y <= half; ++y) {
        for (int x = -half; x <= half; ++x) {
            filter.push_back(static_cast<double>(light.at(kSide / 2 + x, kSide / 2 + y)));
            mean += filter.back();
        }
    }
    mean /= static_cast<double>(filter.size());
    for (double& v : filter) {
        v -= mean;
    }
    return filter;
}

double filtered(const frame::Image& image, const std::vector<double>& filter, int cx, int cy) {
    double sum = 0.0;
    auto weight = filter.begin();
    for (int y = cy - kFilterHalf; y <= cy + kFilterHalf; ++y) {
        for (int x = cx - kFilterHalf; x <= cx + kFilterHalf; ++x) {
            sum += *weight++ * static_cast<double>(image.at(x, y));
        }
    }
    return sum;
}

/// The signal-to-noise of a body in one frame by a filter that knows its form, against the noise of the sky alone.
double idealSnr(const MovingFrames& series, std::size_t i, const Body& body) {
    frame::Image image(kSide, kSide);
    const double middle = 0.5 * (kSide - 1);
    paint(image, body, series.frames[i], {middle, middle});
    return std::sqrt(filtered(image, filterFor(image), kSide / 2, kSide / 2) / series.plan.sky);
}

double idealSnr(const MovingFrames& series, const Body& body) {
    double squares = 0.0;
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        squares += std::pow(idealSnr(series, i, body), 2);
    }
    return std::sqrt(squares);
}

/// The same frames with the body's light, which is taken to have no noise of its own.
std::vector<stack::StackFrame>
withBody(const MovingFrames& series, const Body& body, const TemporaryFolder& folder) {
    auto frames = series.frames;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        auto read = frame::readFits(frames[i].path);
        if (!read) {
            throw std::runtime_error("a frame cannot be read");
        }
        paint(read->image, body, frames[i], *frames[i].place.wcs.toPixel(series.body[i]));
        frames[i].path = folder / fmt::format("b{}.fits", i);
        if (!frame::writeFits(frames[i].path, read->image, {})) {
            throw std::runtime_error("a frame cannot be written");
        }
    }
    return frames;
}

/// One stack on the body over all frames, `target` telling where it is taken to be.
stack::Stack onBody(const MovingFrames& series,
                    const std::vector<stack::StackFrame>& frames,
                    const std::function<SkyPos(const Utc&)>& target,
                    bool stillSky) {
    std::vector<SkyPos> targets;
    targets.reserve(frames.size());
    for (const auto& frame : frames) {
        targets.push_back(target(frame.middle));
    }
    const TemporaryFolder work;
    auto used = frames;
    if (stillSky) {
        auto without = stack::takeOutStillSky({frames, series.sizes, targets}, work.path(), {});
        if (!without) {
            throw std::runtime_error(without.error().detail);
        }
        used = std::move(without->frames);
    }
    stack::CanvasChoice canvas;
    canvas.extent = stack::CanvasExtent::Body;
    canvas.bodySide = kSide;
    canvas.northUp = true;
    const auto layers = stack::layersOf(
        {used, series.sizes, [&](const Utc& t) { return Result<SkyPos>(target(t)); }}, 1, canvas);
    const auto stack =
        layers ? stack::stackFrames(layers->front().frames, layers->front().grid, {}, {})
               : Result<stack::Stack>(fail(layers.error()));
    if (!stack) {
        throw std::runtime_error(stack.error().detail);
    }
    return *stack;
}

/// The same frames of the same photons without any star.
std::vector<stack::StackFrame> withoutStars(const MovingFrames& series) {
    auto frames = series.frames;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        frames[i].path = series.skyOf(i);
        frames[i].protect.clear();
    }
    return frames;
}

/// What a stack shows of a body.
struct Shown {
    double share = 0.0; ///< of the signal-to-noise that could be had
    double starless =
        0.0; ///< noise of a stack of the frames without stars, of what their photons must have
    double light = 0.0;      ///< within a circle, share of the truth
    double offPixels = 0.0;  ///< of the middle of its light from where it is
    double pathPixels = 0.0; ///< rms of the path it was added on
};

/// Scatter of a filter over a stack without the body.
double filteredNoise(const frame::Image& empty, const std::vector<double>& filter) {
    double squares = 0.0;
    int count = 0;
    for (int y = kFilterHalf; y < kSide - kFilterHalf; y += 2) {
        for (int x = kFilterHalf; x < kSide - kFilterHalf; x += 2) {
            squares += std::pow(filtered(empty, filter, x, y), 2);
            ++count;
        }
    }
    return std::sqrt(squares / count);
}

Shown shown(const MovingFrames& series,
            const Body& body,
            const std::function<SkyPos(const Utc&)>& target,
            bool stillSky) {
    const TemporaryFolder folder;
    const auto lit = withBody(series, body, folder);
    const auto empty = onBody(series, series.frames, target, stillSky).image;
    const auto full = onBody(series, lit, target, stillSky).image;
    const auto starless = onBody(
        series, withoutStars(series), [&](const Utc& t) { return series.bodyAt(t); }, false);
    frame::Image light(kSide, kSide);
    for (std::size_t i = 0; i < light.pixels().size(); ++i) {
        light.pixels()[i] = full.pixels()[i] - empty.pixels()[i];
    }
    Shown result;
    constexpr int middle = kSide / 2;
    const auto filter = filterFor(light);
    // A stack has room for few filters of a coma's size: their scatter is held against that over the same photons without stars, whose
    // noise is known where a filter is wide beside what interpolation mixes.
    double squares = 0.0;
    for (const double v : filter) {
        squares += v * v;
    }
    const double expected = starless.noise * std::sqrt(squares);
    const double found = filteredNoise(starless.image, filter);
    result.starless = found / expected;
    const double noise = filteredNoise(empty, filter) * (body.isComet ? expected / found : 1.0);
    result.share = filtered(light, filter, middle, middle) / noise / idealSnr(series, body);
    constexpr int core = 4;
    double sum = 0.0;
    double x = 0.0;
    double y = 0.0;
    for (int dy = -core; dy <= core; ++dy) {
        for (int dx = -core; dx <= core; ++dx) {
            const auto v = static_cast<double>(light.at(middle + dx, middle + dy));
            sum += v;
            x += v * dx;
            y += v * dy;
        }
    }
    result.offPixels = std::hypot(x, y) / sum;
    const double radius = body.isComet ? 20.0 : 7.0;
    double truth = 0.0;
    double weights = 0.0;
    for (const auto& frame : series.frames) {
        frame::Image alone(kSide, kSide);
        paint(alone, body, frame, {double{middle}, double{middle}});
        truth += stack::weightOf(frame) * frame.fluxScale *
                 test_support::lightAround(alone, {middle, middle}, radius);
        weights += stack::weightOf(frame);
    }
    result.light = test_support::lightAround(light, {middle, middle}, radius) / (truth / weights);
    double off = 0.0;
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        off += std::pow(separation(target(series.frames[i].middle), series.body[i]).arcsec(), 2);
    }
    result.pathPixels = std::sqrt(off / static_cast<double>(series.frames.size()));
    return result;
}

/// So many crowded frames, and where what is to be painted into them goes.
MovingFramesPlan crowded(int count, double eastArcsec, double northArcsec, std::uint32_t seed) {
    MovingFramesPlan plan;
    plan.count = count;
    plan.bodyElectrons = 0.0;
    plan.eastArcsecPerFrame = eastArcsec;
    plan.northArcsecPerFrame = northArcsec;
    plan.keepsSky = true;
    plan.seed = seed;
    return plan;
}

/// A minor planet of that signal-to-noise in a frame, over sixty of them, on its true motion.
Shown minorPlanet(std::uint32_t seed, bool stillSky) {
    const MovingFrames series(crowded(60, 3.0, -1.2, seed));
    Body body{100.0, false};
    body.electrons *= 1.5 * std::sqrt(series.plan.count) / idealSnr(series, body);
    return shown(
        series, body, [&](const Utc& t) { return series.bodyAt(t); }, stillSky);
}

/// A comet in forty frames of a mount that wanders, of which nothing is known but two marks, five pixels off.
Shown comet(std::uint32_t seed) {
    MovingFrames series(crowded(40, 4.0, -1.6, seed));
    const Body body{100000.0, true};
    const TemporaryFolder folder;
    const auto lit = withBody(series, body, folder);
    std::vector<stack::PathFrame> frames;
    for (std::size_t i = 0; i < lit.size(); ++i) {
        frames.push_back({lit[i].path, lit[i].place.wcs, lit[i].middle, lit[i].fwhm});
    }
    const std::vector<stack::Mark> marks{
        {0, offsetBy(series.body.front(), 4.0, -3.0)},
        {frames.size() - 1, offsetBy(series.body.back(), -4.0, 3.0)}};
    const auto path = stack::followMarks(frames, marks, {});
    if (!path) {
        throw std::runtime_error(path.error().detail);
    }
    for (std::size_t i = 0; i < lit.size(); ++i) {
        const auto at = *lit[i].place.wcs.toPixel(path->at(lit[i].middle));
        auto seen = lit[i];
        if (auto done = stack::protectComa(seen, at, seen.fwhm); !done) {
            throw std::runtime_error(done.error().detail);
        }
        series.frames[i].protect = seen.protect;
        series.frames[i].isDiffuse = true;
    }
    return shown(
        series, body, [&](const Utc& t) { return path->at(t); }, true);
}

/// Stars of stacks against those of their frames, star by star but for the widths.
struct Stars {
    std::vector<double> light; ///< share of what the frames have on average, less one
    std::vector<double> place; ///< pixels
    std::vector<double> width; ///< FWHM over the weighted mean of the frames', less one
};

/// What the frames have of a star on average, by their weights in the stack.
struct FramesStar {
    SkyPos place; ///< on the stack
    double weight = 0.0;
    double flux = 0.0;
    double east = 0.0; ///< arcsec from there
    double north = 0.0;
    int frames = 0;

    void add(const stack::StackFrame& frame, const detect::Detection& found) {
        for (const detect::Source& s : found.sources) {
            const PlanePos off = toTangentPlane(place, frame.place.wcs.toSky({s.x, s.y}));
            if (std::hypot(off.xi, off.eta) < 1.5 * kRadiansPerArcsec) {
                const double w = stack::weightOf(frame);
                weight += w;
                flux += w * frame.fluxScale * s.flux;
                east += w * off.xi / kRadiansPerArcsec;
                north += w * off.eta / kRadiansPerArcsec;
                ++frames;
            }
        }
    }
};

detect::Detection starsOf(const frame::Image& image) {
    auto found = detect::detectSources(image, {});
    if (!found) {
        throw std::runtime_error("no stars");
    }
    return std::move(*found);
}

void addStars(Stars& stars, std::uint32_t seed, stack::Kernel kernel) {
    MovingFramesPlan plan;
    plan.stars = 60;
    plan.bodyElectrons = 0.0;
    plan.seed = seed;
    const MovingFrames series(plan);
    stack::StackOptions options;
    options.resampling.kernel = kernel;
    stack::PixelGrid grid;
    grid.width = grid.height = plan.side;
    grid.wcs = test_support::turnedWcs(0.0, {0.5 * (plan.side - 1), 0.5 * (plan.side - 1)});
    const auto stack = stack::stackFrames(series.frames, grid, options, {});
    if (!stack) {
        throw std::runtime_error(stack.error().detail);
    }
    const auto onStack = starsOf(stack->image);
    std::vector<FramesStar> inFrames;
    for (const auto& star : onStack.sources) {
        inFrames.push_back({grid.wcs.toSky({star.x, star.y})});
    }
    double weights = 0.0;
    double fwhm = 0.0;
    for (const auto& frame : series.frames) {
        const auto found = starsOf(frame::readFits(frame.path)->image);
        weights += stack::weightOf(frame);
        fwhm += stack::weightOf(frame) * found.fwhm;
        for (FramesStar& star : inFrames) {
            star.add(frame, found);
        }
    }
    stars.width.push_back(onStack.fwhm / (fwhm / weights) - 1.0);
    for (std::size_t i = 0; i < inFrames.size(); ++i) {
        const auto& star = onStack.sources[i];
        const FramesStar& mean = inFrames[i];
        if (mean.frames == plan.count && star.snr > kBrightStar && star.flags == 0) {
            stars.light.push_back(star.flux / (mean.flux / mean.weight) - 1.0);
            stars.place.push_back(std::hypot(mean.east, mean.north) / mean.weight);
        }
    }
}

void print(const char* what, const Shown& s) {
    std::cout << fmt::format("{:<44} {:8.3f} {:8.3f} {:8.3f} {:8.3f} {:8.3f}\n",
                             what,
                             s.share,
                             s.starless,
                             s.light,
                             s.offPixels,
                             s.pathPixels);
}

Shown mean(const std::vector<Shown>& all) {
    Shown sum;
    const auto n = static_cast<double>(all.size());
    for (const Shown& s : all) {
        sum.share += s.share / n;
        sum.starless += s.starless / n;
        sum.light += s.light / n;
        sum.offPixels += s.offPixels / n;
        sum.pathPixels += s.pathPixels / n;
    }
    return sum;
}

} // namespace

int main(int argc, char** argv) {
    int series = 12;
    std::uint32_t seed = 1;
    CLI::App program("What stacks keep of bodies and stars");
    program.add_option("--series", series);
    program.add_option("--seed", seed);
    CLI11_PARSE(program, argc, argv);
    std::vector<Shown> clipped;
    std::vector<Shown> still;
    std::vector<Shown> comets;
    std::cout << "                                             S/N of  without    light      off   "
                 "  path\n"
                 "                                              ideal    stars  of true       px   "
                 "px rms\n";
    for (std::uint32_t i = 0; i < static_cast<std::uint32_t>(series); ++i) {
        clipped.push_back(minorPlanet(seed + i, false));
        still.push_back(minorPlanet(seed + i, true));
        comets.push_back(comet(seed + i));
    }
    print("S/N 1.5 in each of 60 frames, clipped mean", mean(clipped));
    print("the same without its still sky", mean(still));
    print("a comet on two marks, without its still sky", mean(comets));
    for (const auto& [kernel, words] : {std::pair{stack::Kernel::Cubic, "cubic"},
                                        std::pair{stack::Kernel::Lanczos3, "six-tap"}}) {
        Stars stars;
        for (std::uint32_t i = 0; i < 2U * static_cast<std::uint32_t>(series); ++i) {
            addStars(stars, seed + i, kernel);
        }
        std::cout << fmt::format("{} stars of a stack against its frames, {}: light {:+.4f}, place "
                                 "{:.4f} px, FWHM {:+.4f}\n",
                                 stars.light.size(),
                                 words,
                                 medianInPlace(std::span(stars.light)),
                                 medianInPlace(std::span(stars.place)),
                                 medianInPlace(std::span(stars.width)));
    }
    return 0;
}
