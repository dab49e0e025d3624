#include "core/detect/colour_mosaic.h"

#include "tests/support/photons.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::detect {
namespace {

// Truth: places drawn at random, light drawn photon by photon; what a pixel sees is counted, not computed.

constexpr int kSide = 480;
constexpr int kApart = 32;
const std::string kPattern = "RGGB";

struct TrueStar {
    double x, y;
    double colour; ///< 0: blue as BP - RP 0; 1: red as BP - RP 3
    double green;  ///< electrons, as if every pixel saw green
};

struct Scene {
    frame::Image mosaic{kSide, kSide};
    std::vector<TrueStar> stars;
};

/// Electrons in red and in blue where green has 1: from a hot star to a cool one.
double redOf(double colour) {
    return 0.5 + 1.7 * colour;
}

double blueOf(double colour) {
    return 1.1 - 1.0 * colour;
}

/// Every sixth star has 12 000 electrons in green, the others `most`.
Scene sceneOf(std::uint32_t seed, double most, double trail) {
    Scene scene;
    test_support::Photons photons(seed);
    photons.setBlur(2.6, 3.2, trail, 0.5 * trail);
    for (int y = 0; y < kSide; ++y) {
        for (int x = 0; x < kSide; ++x) {
            scene.mosaic.at(x, y) = static_cast<float>(
                photons.poisson(y % 2 == 0 && x % 2 == 0 ? 60.0 : 90.0) + photons.normal(4.0));
        }
    }
    for (int j = kApart; j + kApart < kSide; j += kApart) {
        for (int i = kApart; i + kApart < kSide; i += kApart) {
            const double green = scene.stars.size() % 6 == 0 ? 12000.0 : most;
            const TrueStar star{
                i + 8.0 * photons.uniform(), j + 8.0 * photons.uniform(), photons.uniform(), green};
            photons.point(scene.mosaic, star.x, star.y, green * redOf(star.colour), kPattern, 'R');
            photons.point(scene.mosaic, star.x, star.y, green, kPattern, 'G');
            photons.point(scene.mosaic, star.x, star.y, green * blueOf(star.colour), kPattern, 'B');
            scene.stars.push_back(star);
        }
    }
    return scene;
}

/// How far places lie from the truth, on the average over the blue and over the red third of the stars.
struct Departures {
    double blueX = 0.0, blueY = 0.0, redX = 0.0, redY = 0.0;
    double chi = 0.0; ///< rms of departure over stated error
    int count = 0;
};

Departures departuresOf(const Scene& scene, const Detection& cells, double brightest = 1e9) {
    Departures d;
    int blue = 0;
    int red = 0;
    for (const TrueStar& star : scene.stars) {
        if (star.green > brightest) {
            continue;
        }
        for (const Source& s : cells.sources) {
            const double x = 2.0 * s.x + 0.5 - star.x;
            const double y = 2.0 * s.y + 0.5 - star.y;
            if (std::hypot(x, y) > 1.5) {
                continue;
            }
            d.chi += x * x / (4.0 * s.xError * s.xError) + y * y / (4.0 * s.yError * s.yError);
            ++d.count;
            if (star.colour < 1.0 / 3.0) {
                d.blueX += x;
                d.blueY += y;
                ++blue;
            } else if (star.colour > 2.0 / 3.0) {
                d.redX += x;
                d.redY += y;
                ++red;
            }
        }
    }
    d.blueX /= blue;
    d.blueY /= blue;
    d.redX /= red;
    d.redY /= red;
    d.chi = std::sqrt(d.chi / (2.0 * d.count));
    return d;
}

Detection onCells(const Scene& scene, std::optional<double> saturation = std::nullopt) {
    frame::Image sums(kSide / 2, kSide / 2);
    for (int y = 0; y < kSide; ++y) {
        for (int x = 0; x < kSide; ++x) {
            sums.at(x / 2, y / 2) += scene.mosaic.at(x, y);
        }
    }
    DetectOptions options;
    options.saturation = saturation;
    auto found = detectSources(sums, options);
    EXPECT_TRUE(found) << found.error().detail;
    return std::move(*found);
}

MosaicSources fitted(const Scene& scene,
                     const Detection& cells,
                     std::optional<double> saturation = std::nullopt) {
    ColourMosaic mosaic(scene.mosaic, kPattern, saturation);
    return fitOnMosaic(mosaic, cells);
}

class ColourMosaicTest : public ::testing::TestWithParam<double> {};

TEST_P(ColourMosaicTest, NoColourMovesAPlace) {
    const Scene scene = sceneOf(7, 12000.0, GetParam());
    Detection cells = onCells(scene);
    const Departures sums = departuresOf(scene, cells);
    placeByMosaic(fitted(scene, cells), cells);
    const Departures places = departuresOf(scene, cells);
    ASSERT_GT(places.count, 150);
    // Red stands at the corner of smaller x: what it sees is taken for light from the cell's middle, farther on.
    EXPECT_GT(sums.redX, 0.1);
    EXPECT_GT(sums.redX, sums.blueX + 0.1);
    // About 60 stars of an error of 0.015 pixels each.
    for (const double off : {places.blueX, places.blueY, places.redX, places.redY}) {
        EXPECT_NEAR(off, 0.0, 0.008);
    }
    EXPECT_NEAR(places.chi, 1.0, 0.12);
}

INSTANTIATE_TEST_SUITE_P(Trails, ColourMosaicTest, ::testing::Values(0.0, 5.0));

TEST(ColourMosaicFitTest, EachColourHasItsOwnLight) {
    const Scene scene = sceneOf(8, 12000.0, 0.0);
    const Detection cells = onCells(scene);
    const MosaicSources sources = fitted(scene, cells);
    EXPECT_NEAR(sources.response.red, redOf(0.5), 0.15);
    EXPECT_NEAR(sources.response.blue, blueOf(0.5), 0.1);
    EXPECT_NEAR(sources.shape.middle.profile().fwhm(), 2.6, 0.05);
    double chi = 0.0;
    int count = 0;
    for (const auto& fit : sources.fits) {
        for (const TrueStar& star : scene.stars) {
            if (fit && std::hypot(fit->x - star.x, fit->y - star.y) < 1.0) {
                const std::array truth{
                    12000.0 * redOf(star.colour), 12000.0, 12000.0 * blueOf(star.colour)};
                for (std::size_t c = 0; c < 3; ++c) {
                    chi += std::pow((fit->flux[c] - truth[c]) / fit->fluxError[c], 2);
                    ++count;
                }
            }
        }
    }
    ASSERT_GT(count, 450);
    EXPECT_NEAR(std::sqrt(chi / count), 1.0, 0.15);
}

TEST(ColourMosaicFitTest, FaintOnesAreMovedByTheLeanOfAnAverageStar) {
    double before = 0.0;
    double after = 0.0;
    constexpr int scenes = 4;
    for (std::uint32_t k = 0; k < scenes; ++k) {
        const Scene scene = sceneOf(20 + k, 330.0, 0.0);
        Detection cells = onCells(scene);
        const MosaicSources sources = fitted(scene, cells);
        EXPECT_TRUE(std::any_of(
            sources.fits.begin(), sources.fits.end(), [](const auto& fit) { return !fit; }));
        const Departures raw = departuresOf(scene, cells, 1000.0);
        placeByMosaic(sources, cells);
        const Departures placed = departuresOf(scene, cells, 1000.0);
        before += 0.5 * (raw.blueX + raw.redX) / scenes;
        after += 0.5 * (placed.blueX + placed.redX) / scenes;
    }
    // Some 200 places, each uncertain by a fifth of a pixel.
    EXPECT_GT(before, 0.05);
    EXPECT_NEAR(after, 0.0, 0.045);
}

TEST(ColourMosaicFitTest, DefectsAndSaturatedPixelsDoNotCount) {
    Scene scene = sceneOf(10, 12000.0, 0.0);
    const TrueStar& star = scene.stars[20];
    scene.mosaic.at(static_cast<int>(star.x) + 1, static_cast<int>(star.y) + 2) = 1e6F;
    scene.mosaic.at(static_cast<int>(star.x) - 2, static_cast<int>(star.y)) = frame::kNoValue;
    const Detection cells = onCells(scene, 5e5);
    const MosaicSources sources = fitted(scene, cells, 5e5);
    bool seen = false;
    for (const auto& fit : sources.fits) {
        if (fit && std::hypot(fit->x - star.x, fit->y - star.y) < 0.5) {
            seen = true;
            EXPECT_NEAR(fit->x, star.x, 5.0 * fit->xError);
            EXPECT_NEAR(fit->y, star.y, 5.0 * fit->yError);
        }
    }
    EXPECT_TRUE(seen);
}

} // namespace
} // namespace pathmark::detect
