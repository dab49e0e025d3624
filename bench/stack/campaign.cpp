// What is measured of bodies on stacks against where and how bright they are: both kernels, three scales. The truth is painted into
// each frame by the simulator's own profile, at the frame's own pixels; nothing of that knows of stacks. Bodies stand clear of each other, and the
// stars in the western part of the frames, which the motion does not leave: what stars beside a body do is another question.
#include "core/base/robust.h"
#include "core/detect/detect.h"
#include "core/measure/measure_body.h"
#include "core/stack/stack.h"
#include "tests/support/moving_frames.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <iostream>
#include <random>

namespace {

using namespace pathmark;

constexpr int kWidth = 520;
constexpr int kHeight = 400;
constexpr int kFrames = 8;
constexpr double kSky = 400.0;          ///< electrons
constexpr double kEastPerFrame = 3.1;   ///< arcsec
constexpr double kNorthPerFrame = -1.7; ///< arcsec
constexpr double kStripEast = -70.0;    ///< arcsec: stars are west of it, bodies east
constexpr double kApart = 34.0;         ///< arcsec between bodies
constexpr int kRows = 9;
constexpr int kColumns = 7;
constexpr double kLeastSnr = 5.0;     ///< what a night keeps
constexpr double kBrightStar = 100.0; ///< S/N of a star that tells the zero point

struct Light {
    double east = 0.0; ///< arcsec from the middle of the field, at the middle of the series
    double north = 0.0;
    double electrons = 0.0;
};

SkyPos placeOf(const Light& light, double step) {
    return offsetBy(skyDegrees(100.0, 30.0),
                    light.east + kEastPerFrame * step,
                    light.north + kNorthPerFrame * step);
}

/// A series with its truth: dithered, turned over between the halves, of changing seeing and transparency.
struct Made {
    std::vector<Light> bodies;
    std::vector<Light> stars;
    std::vector<stack::StackFrame> frames;
    test_support::TemporaryFolder folder;
};

void paint(frame::Image& image,
           const simulate::Blur& blur,
           const frame::Wcs& wcs,
           const SkyPos& sky,
           double electrons) {
    const auto p = wcs.toPixel(sky);
    if (p && p->x > -20.0 && p->y > -20.0 && p->x < kWidth + 20.0 && p->y < kHeight + 20.0) {
        simulate::paintPoint(image, blur, p->x, p->y, electrons);
    }
}

void addFrame(Made& made, int i, std::mt19937& random) {
    std::uniform_real_distribution<double> dither(-6.0, 6.0);
    const double turn = 2 * i >= kFrames ? 180.7 : 0.4;
    const auto wcs = test_support::turnedWcs(
        turn, {0.5 * (kWidth - 1) + dither(random), 0.5 * (kHeight - 1) + dither(random)}, 1.0);
    const double fwhm = 2.3 + 0.9 * i / kFrames;
    const double transparency = 1.0 - 0.15 * (i % 3);
    const simulate::Blur blur{fwhm, 0.05, 30.0, 3.2};
    frame::Image image(kWidth, kHeight, static_cast<float>(kSky));
    const double step = i - 0.5 * (kFrames - 1);
    for (const Light& star : made.stars) {
        paint(image, blur, wcs, placeOf(star, 0.0), transparency * star.electrons);
    }
    for (const Light& body : made.bodies) {
        paint(image, blur, wcs, placeOf(body, step), transparency * body.electrons);
    }
    for (float& v : image.pixels()) {
        v = static_cast<float>(std::poisson_distribution<int>(static_cast<double>(v))(random));
    }
    stack::StackFrame frame;
    frame.path = made.folder / fmt::format("f{}.fits", i);
    if (!frame::writeFits(frame.path, image, {})) {
        throw std::runtime_error("a frame cannot be written");
    }
    frame.place.wcs = wcs;
    frame.middle = Utc::julian(2464000.0).plusSeconds(60.0 * i);
    frame.noise = std::sqrt(kSky);
    frame.fluxScale = 1.0 / transparency;
    frame.fwhm = fwhm;
    made.frames.push_back(std::move(frame));
}

/// Bodies of a signal to noise of 6 to 1000 in the stack.
void make(Made& made, std::mt19937& random) {
    std::uniform_real_distribution<double> part(0.0, 1.0);
    for (int row = 0; row < kRows; ++row) {
        for (int column = 0; column < kColumns; ++column) {
            made.bodies.push_back({kStripEast + 50.0 + kApart * column + 6.0 * part(random),
                                   -140.0 + kApart * row + 6.0 * part(random),
                                   300.0 * std::pow(10.0, 2.7 * part(random))});
        }
    }
    for (int i = 0; i < 40; ++i) {
        made.stars.push_back({kStripEast - 30.0 - 140.0 * part(random),
                              360.0 * (part(random) - 0.5),
                              60000.0 * std::pow(10.0, -1.5 * part(random))});
    }
    for (int i = 0; i < kFrames; ++i) {
        addFrame(made, i, random);
    }
}

struct Sums {
    int seen = 0;
    int beyondFive = 0;
    double places = 0.0; ///< squares in units of the stated error
    double fluxes = 0.0;
    double bias = 0.0; ///< of fluxes, likewise

    void add(const Sums& other) {
        seen += other.seen;
        beyondFive += other.beyondFive;
        places += other.places;
        fluxes += other.fluxes;
        bias += other.bias;
    }
};

constexpr std::array<double, 4> kBins{20.0, 100.0, 300.0, 1e9}; ///< signal to noise, upper ends

using Bins = std::array<Sums, kBins.size()>;

/// A stack's zero point, as a night has it from the stars: what their fitted light is of the true light.
struct ZeroLight {
    double share = 1.0;
    double error = 0.0;       ///< of it
    double unexplained = 0.0; ///< what stars scatter by beyond their errors: so does a body
};

ZeroLight lightOf(const detect::Detection& found, const Made& made, const frame::Wcs& wcs) {
    std::vector<double> shares;
    double squares = 0.0; // of the stars' own errors
    for (const Light& star : made.stars) {
        const auto p = wcs.toPixel(placeOf(star, 0.0));
        for (const detect::Source& s : found.sources) {
            if (p && std::hypot(s.x - p->x, s.y - p->y) < 1.0 && s.snr > kBrightStar &&
                s.flags == 0) {
                shares.push_back(s.flux / star.electrons);
                squares += std::pow(s.fluxError / star.electrons, 2);
            }
        }
    }
    if (shares.empty()) {
        return {};
    }
    const auto count = static_cast<double>(shares.size());
    const auto moments = medianAndDeviation(std::move(shares));
    return {moments.centre,
            1.2533 * moments.sigma / std::sqrt(count), // of a median
            std::sqrt(std::max(0.0, moments.sigma * moments.sigma - squares / count))};
}

Bins judge(const Made& made, stack::Kernel kernel, double scale) {
    stack::StackOptions options;
    options.resampling.kernel = kernel;
    stack::PixelGrid grid;
    grid.width = static_cast<int>(kWidth / scale);
    grid.height = static_cast<int>(kHeight / scale);
    grid.wcs =
        test_support::turnedWcs(0.0, {0.5 * (grid.width - 1), 0.5 * (grid.height - 1)}, scale);
    const auto onStars = stack::stackFrames(made.frames, grid, options, Job{});
    const auto found = onStars ? detect::detectSources(onStars->image, {})
                               : Result<detect::Detection>(fail(onStars.error()));
    auto moved = made.frames;
    for (std::size_t i = 0; i < moved.size(); ++i) {
        const double step = static_cast<double>(i) - 0.5 * (kFrames - 1);
        const Light middle{};
        moved[i].place.shift = toTangentPlane(placeOf(middle, 0.0), placeOf(middle, step));
    }
    const auto onBodies = stack::stackFrames(moved, grid, options, Job{});
    if (!found || !onBodies) {
        throw std::runtime_error("a stack cannot be made");
    }
    const auto light = lightOf(*found, made, grid.wcs);
    measure::Picture picture;
    picture.image = &onBodies->image;
    picture.wcs = grid.wcs;
    picture.shape = found->spread.middle().shape();
    picture.noise = onBodies->noise;
    picture.lightVariance = onBodies->lightVariance;
    picture.solutionErrorPixels = stack::kResamplingError / scale;
    Bins bins;
    for (const Light& body : made.bodies) {
        measure::Target target;
        target.predicted = placeOf(body, 0.0);
        target.searchArcsec = 3.0;
        const auto measured = measure::measureBody(picture, target);
        if (!measured || measured->snr < kLeastSnr) {
            continue;
        }
        Sums& sums = bins[static_cast<std::size_t>(
            std::upper_bound(kBins.begin(), kBins.end(), measured->snr) - kBins.begin())];
        ++sums.seen;
        const PlanePos off = toTangentPlane(placeOf(body, 0.0), measured->sky);
        const double x = off.xi / kRadiansPerArcsec / measured->raErrorArcsec;
        const double y = off.eta / kRadiansPerArcsec / measured->decErrorArcsec;
        const double f = (measured->flux / light.share - body.electrons) /
                         std::hypot(measured->fluxError,
                                    measured->flux * light.error,
                                    measured->flux * std::hypot(light.unexplained,
                                                                stack::kResamplingLightError));
        sums.places += 0.5 * (x * x + y * y);
        sums.beyondFive += std::max(std::abs(x), std::abs(y)) > 5.0 ? 1 : 0;
        sums.fluxes += f * f;
        sums.bias += f;
    }
    return bins;
}

void print(const std::string& what, const Sums& s) {
    std::cout << fmt::format("{:<34} {:6} {:10.3f} {:10.3f} {:10.3f} {:8}\n",
                             what,
                             s.seen,
                             s.places / s.seen,
                             s.fluxes / s.seen,
                             s.bias / s.seen,
                             s.beyondFive);
}

} // namespace

int main(int argc, char** argv) {
    int series = 45;
    std::uint32_t seed = 1;
    CLI::App program("Bodies on stacks against their truth");
    program.add_option(
        "--series", series, "Of 63 bodies each; all on both kernels and three scales");
    program.add_option("--seed", seed);
    CLI11_PARSE(program, argc, argv);
    const std::array<std::pair<stack::Kernel, const char*>, 2> kernels{
        {{stack::Kernel::Cubic, "cubic"}, {stack::Kernel::Lanczos3, "six-tap"}}};
    const std::array<double, 3> scales{0.6, 1.0, 1.4};
    std::array<Bins, 6> sums;
    std::mt19937 random(seed);
    for (int i = 0; i < series; ++i) {
        Made made;
        make(made, random);
        for (std::size_t k = 0; k < 6; ++k) {
            const Bins bins = judge(made, kernels[k / 3].first, scales[k % 3]);
            for (std::size_t b = 0; b < bins.size(); ++b) {
                sums[k][b].add(bins[b]);
            }
        }
    }
    std::cout << "chi-square of each, limits 0.9 to 1.1\n"
                 "                                     seen     places     fluxes  flux bias "
                 "beyond 5\n";
    bool isGood = true;
    for (std::size_t i = 0; i < 6 * kBins.size(); ++i) {
        const std::size_t k = i / kBins.size();
        const std::size_t bin = i % kBins.size();
        const Sums& s = sums[k][bin];
        print(fmt::format("{}, {} \"/px, S/N {}",
                          kernels[k / 3].second,
                          scales[k % 3],
                          bin + 1 < kBins.size() ? fmt::format("to {}", kBins[bin]) : "above"),
              s);
        // Of few bodies the square of a normal error scatters by itself.
        const double scatter = 4.0 / std::sqrt(2.0 * s.seen);
        for (const double chi : {s.places / s.seen, s.fluxes / s.seen}) {
            // Of the brightest the error is that of the interpolation, stated as the most of kernels and scales.
            const double least = bin < 2 ? 0.9 - scatter : 0.0;
            isGood = isGood && chi > least && chi < 1.1 + scatter;
        }
    }
    std::cout << (isGood ? "" : "ERROR OCCURRED: errors do not hold\n");
    return isGood ? 0 : 1;
}
