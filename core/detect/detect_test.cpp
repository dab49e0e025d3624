#include "core/detect/detect.h"

#include "simulate/painter.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

namespace pathmark::detect {
namespace {

struct Truth {
    double x, y, flux;
};

/// 300 stars on a sloping sky, painted by the simulator's own profile, with std's noise.
struct Field {
    frame::Image image{700, 600};
    std::vector<Truth> stars;

    explicit Field(std::uint32_t seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> x(15.0, 685.0);
        std::uniform_real_distribution<double> y(15.0, 585.0);
        std::uniform_real_distribution<double> magnitude(0.0, 4.0);
        for (int j = 0; j < 600; ++j) {
            for (int i = 0; i < 700; ++i) {
                image.at(i, j) = static_cast<float>(300.0 + 0.1 * i + 0.05 * j);
            }
        }
        const simulate::Blur blur{2.6, 0.08, 30.0, 3.1};
        for (int k = 0; k < 300; ++k) {
            const Truth star{
                x(random), y(random), 60000.0 * std::pow(10.0, -0.4 * magnitude(random))};
            stars.push_back(star);
            simulate::paintPoint(image, blur, star.x, star.y, star.flux);
        }
        for (float& v : image.pixels()) {
            std::normal_distribution<float> noise(0.0F, std::sqrt(v + 20.0F));
            v += noise(random);
        }
    }
};

const Field& field() {
    static const Field made(4);
    return made;
}

TEST(DetectSourcesTest, FindsTheStarsWhereTheyAre) {
    const auto detection = detectSources(field().image, {});
    ASSERT_TRUE(detection);
    EXPECT_NEAR(detection->fwhm, 2.6, 0.15);
    int alone = 0;
    int found = 0;
    double normalised = 0.0;
    for (const Truth& star : field().stars) {
        const auto& all = field().stars;
        // Random places fall together here and there; what is true of pairs is tested elsewhere.
        if (std::count_if(all.begin(), all.end(), [&](const Truth& other) {
                return std::hypot(other.x - star.x, other.y - star.y) < 14.0;
            }) > 1) {
            continue;
        }
        ++alone;
        for (const Source& s : detection->sources) {
            if (std::hypot(s.x - star.x, s.y - star.y) < 0.6) {
                ++found;
                normalised += std::pow((s.x - star.x) / s.xError, 2.0);
                break;
            }
        }
    }
    EXPECT_EQ(found, alone);
    ASSERT_GT(found, 100);
    // Chi-square of the errors: its own scatter is sqrt(2 / n), 0.11 here.
    EXPECT_NEAR(normalised / found, 1.0, 0.35);
    EXPECT_LT(detection->sources.size(), 320U);
}

/// Truth: the pixels that were struck. Most hits are no sources at all, as nothing of a star's form is left once the struck pixel
/// is seen to stand out; those that stay are called what they are.
TEST(DetectSourcesTest, NoParticleHitPassesForAStar) {
    int listed = 0;
    for (const float electrons : {1000.0F, 5000.0F, 20000.0F, 60000.0F}) {
        frame::Image image = field().image;
        std::vector<frame::PixelPos> hits;
        for (int k = 0; k < 20; ++k) {
            const frame::PixelPos hit{30.0 + 33 * k, 37.0 + 25 * k};
            const bool isAlone =
                std::none_of(field().stars.begin(), field().stars.end(), [&](const Truth& star) {
                    return std::hypot(star.x - hit.x, star.y - hit.y) < 6.0;
                });
            if (isAlone && hit.x < 690.0 && hit.y < 590.0) {
                image.at(static_cast<int>(hit.x), static_cast<int>(hit.y)) += electrons;
                hits.push_back(hit);
            }
        }
        ASSERT_GT(hits.size(), 10U);
        const auto detection = detectSources(image, {});
        ASSERT_TRUE(detection);
        for (const frame::PixelPos& hit : hits) {
            for (const Source& s : detection->sources) {
                if (std::hypot(s.x - hit.x, s.y - hit.y) < 2.0) {
                    ++listed;
                    EXPECT_NE(s.flags & kSharp, 0U) << electrons << " at " << hit.x;
                }
            }
        }
    }
    EXPECT_GT(listed, 0) << "or nothing was tested";
}

TEST(DetectSourcesTest, TheAnswerDoesNotDependOnTheRun) {
    const auto a = detectSources(field().image, {});
    const auto b = detectSources(field().image, {});
    ASSERT_TRUE(a && b);
    ASSERT_EQ(a->sources.size(), b->sources.size());
    for (std::size_t i = 0; i < a->sources.size(); ++i) {
        EXPECT_EQ(a->sources[i].x, b->sources[i].x);
        EXPECT_EQ(a->sources[i].flux, b->sources[i].flux);
    }
}

TEST(DetectSourcesTest, AnEmptyFrameHasNoSources) {
    const auto detection = detectSources(frame::Image(200, 200, 100.0F), {});
    ASSERT_FALSE(detection);
    EXPECT_EQ(detection.error().id, ErrorId::DetectNoSources);
}

TEST(BackgroundTest, FollowsASlopeUnderStars) {
    const Background sky(field().image);
    // Truth: the painted level; the stars' wings lift the sky by an electron or two.
    EXPECT_NEAR(static_cast<double>(sky.level(350.0, 300.0)), 350.0, 4.0);
    EXPECT_NEAR(static_cast<double>(sky.noise(350.0, 300.0)), std::sqrt(370.0), 1.0);
}

} // namespace
} // namespace pathmark::detect
