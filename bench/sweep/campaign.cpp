// What a sweep finds: planted bodies against an ideal search along their true motions, and what chance makes of empty fields
// against the number that was stated.
#include "core/sweep/sweep.h"
#include "tests/support/made_maps.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <cmath>
#include <iostream>
#include <map>
#include <numbers>

namespace {

using namespace pathmark;
using test_support::MadeBody;
using test_support::MadeField;

constexpr double kUsualMostRate = 1.5; ///< arcsec per minute

sweep::SweepOptions optionsFor(double falseAlarms, double mostRate) {
    sweep::SweepOptions options;
    options.bounds.leastRate = 0.2;
    options.bounds.mostRate = mostRate;
    options.falseAlarms = falseAlarms;
    return options;
}

/// Hits of particles: a pixel or two of any brightness, anywhere.
void addHits(std::uint32_t seed, int frame, sweep::FramePixels& pixels) {
    test_support::Photons random(seed * 77U + static_cast<std::uint32_t>(frame));
    for (int k = random.poisson(2.0); k > 0; --k) {
        const int x = static_cast<int>(random.uniform() * (pixels.light.width() - 1));
        const int y = static_cast<int>(random.uniform() * pixels.light.height());
        pixels.light.at(x, y) += static_cast<float>(3000.0 * random.uniform());
        pixels.light.at(x + 1, y) += static_cast<float>(1000.0 * random.uniform());
    }
    // A satellite crosses every eighth frame.
    if (random.uniform() < 0.125) {
        const double slope = 2.0 * random.uniform() - 1.0;
        const double start = pixels.light.height() * random.uniform();
        for (int x = 0; x < pixels.light.width(); ++x) {
            const int y = static_cast<int>(start + slope * x);
            for (int v = y - 1; v <= y + 1; ++v) {
                if (pixels.light.contains(x, v)) {
                    pixels.light.at(x, v) += 200.0F;
                }
            }
        }
    }
}

/// What is left where stars were taken out: their photons' noise, and two per cent of their light, brighter or fainter from frame to frame
/// as a kernel misses it; the variance says both.
void addStars(std::uint32_t seed, int frame, const MadeField& field, sweep::FramePixels& pixels) {
    constexpr int count = 80;
    constexpr double missed = 0.02;
    constexpr double starPixels = 2.27; // of FWHM^2
    test_support::Photons sky(seed * 31U);
    test_support::Photons random(seed * 53U + static_cast<std::uint32_t>(frame));
    const double core = 0.5 * field.fwhm / std::sqrt(std::pow(2.0, 1.0 / field.beta) - 1.0);
    for (int n = 0; n < count; ++n) {
        const double x0 = field.width * sky.uniform();
        const double y0 = field.height * sky.uniform();
        const double flux =
            300.0 * std::pow(sky.uniform(), -1.2); // half as many twice as bright, about
        const double wrong = random.normal(missed);
        for (int y = static_cast<int>(y0) - 12; y <= static_cast<int>(y0) + 12; ++y) {
            for (int x = static_cast<int>(x0) - 12; x <= static_cast<int>(x0) + 12; ++x) {
                if (!pixels.light.contains(x, y)) {
                    continue;
                }
                const double far = ((x - x0) * (x - x0) + (y - y0) * (y - y0)) / (core * core);
                const double light =
                    std::min(60000.0,
                             flux * (field.beta - 1.0) / (std::numbers::pi * core * core) *
                                 std::pow(1.0 + far, -field.beta));
                pixels.light.at(x, y) +=
                    static_cast<float>(wrong * light + random.normal(std::sqrt(light)));
                pixels.variance.at(x, y) += static_cast<float>(
                    light + starPixels * field.fwhm * field.fwhm * missed * missed * light * light);
            }
        }
    }
}

MadeField fieldOf(std::uint32_t seed) {
    MadeField field;
    field.width = 512;
    field.height = 384;
    field.frames = 16;
    field.exposureSeconds = 90.0;
    field.seed = seed;
    return field;
}

void countChance(int fields, bool isStruck, double mostRate) {
    for (const double stated : {0.1, 1.0, 10.0}) {
        int count = 0;
        for (int k = 0; k < fields; ++k) {
            const auto seed = static_cast<std::uint32_t>(5000 + k);
            const MadeField field = fieldOf(seed);
            const auto maps = field.maps([&](int frame, sweep::FramePixels& pixels) {
                if (isStruck) {
                    addStars(seed, frame, field, pixels);
                    addHits(seed, frame, pixels);
                }
            });
            const auto result = sweep::sweepOver(maps, optionsFor(stated, mostRate), {});
            count += result ? static_cast<int>(result->candidates.size()) : 0;
        }
        std::cout << fmt::format("{} fields{}, {:4.1f} stated: {} candidates, {:.2f} a field\n",
                                 fields,
                                 isStruck ? " with stars, hits and satellites" : "",
                                 stated,
                                 count,
                                 static_cast<double>(count) / fields)
                  << std::flush;
    }
}

struct Tally {
    int planted = 0;
    int found = 0;
    int ideal = 0; ///< whose S/N on the true motion reaches the threshold
};

void plant(int fields, int bodies, double mostRate) {
    std::map<int, Tally> bySnr;
    for (int k = 0; k < fields; ++k) {
        const auto seed = static_cast<std::uint32_t>(9000 + k);
        MadeField field = fieldOf(seed);
        test_support::Photons random(seed);
        std::vector<double> snrs;
        for (int b = 0; b < bodies; ++b) {
            const double rate = (0.25 + (mostRate - 0.3) * random.uniform()) * 30.0;
            const double angle = 2.0 * std::numbers::pi * random.uniform();
            snrs.push_back(4.0 + 8.0 * random.uniform());
            field.bodies.push_back({60.0 + (field.width - 120) * random.uniform(),
                                    60.0 + (field.height - 120) * random.uniform(),
                                    rate * std::cos(angle),
                                    rate * std::sin(angle),
                                    field.electronsFor(snrs.back())});
        }
        const auto maps = field.maps([&](int frame, sweep::FramePixels& pixels) {
            addStars(seed, frame, field, pixels);
            addHits(seed, frame, pixels);
        });
        // The ideal search sees the same noise and stars, and nothing of what strikes the frames.
        const auto clean = field.maps(
            [&](int frame, sweep::FramePixels& pixels) { addStars(seed, frame, field, pixels); });
        const sweep::Tracks tracks(clean);
        const auto result = sweep::sweepOver(maps, optionsFor(1.0, mostRate), {});
        for (std::size_t b = 0; result && b < field.bodies.size(); ++b) {
            const MadeBody& body = field.bodies[b];
            // What is tried is the S/N that its trail leaves it.
            const sweep::TrackLight ideal =
                tracks.along({{body.x, body.y}, {body.vx, body.vy}}, {}, true);
            const bool isFound =
                std::any_of(result->candidates.begin(), result->candidates.end(), [&](auto& c) {
                    return std::hypot(c.track.place.x - body.x, c.track.place.y - body.y) < 4.0 &&
                           std::hypot(c.track.velocity.x - body.vx, c.track.velocity.y - body.vy) <
                               6.0;
                });
            Tally& tally = bySnr[static_cast<int>(snrs[b])];
            ++tally.planted;
            tally.found += isFound ? 1 : 0;
            tally.ideal += ideal.snr() >= result->thresholdSnr ? 1 : 0;
        }
    }
    for (const auto& [snr, tally] : bySnr) {
        std::cout << fmt::format("S/N {:2} to {:2}: {} planted, found {:.1f} %, ideal {:.1f} %\n",
                                 snr,
                                 snr + 1,
                                 tally.planted,
                                 100.0 * tally.found / tally.planted,
                                 100.0 * tally.ideal / tally.planted)
                  << std::flush;
    }
}

} // namespace

int main(int argc, char** argv) {
    CLI::App program("Completeness and false candidates of sweeps");
    int fields = 50;
    int bodies = 20;
    double mostRate = kUsualMostRate;
    program.add_option("--fields", fields, "Fields of each kind");
    program.add_option("--bodies", bodies, "Bodies planted in each");
    program.add_option("--fastest", mostRate, "Rate of the fastest bodies, arcsec per minute");
    CLI11_PARSE(program, argc, argv);
    plant(fields, bodies, mostRate);
    countChance(fields, false, mostRate);
    countChance(fields, true, mostRate);
    return 0;
}
