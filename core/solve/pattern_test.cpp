#include "core/solve/likelihood.h"
#include "core/solve/pattern_index.h"
#include "core/solve/quad.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <numbers>
#include <random>
#include <set>

namespace pathmark::solve {
namespace {

/// Truth: the very same four points turned, scaled, moved, mirrored and given in another order.
TEST(QuadTest, TheCodeStaysTheSame) {
    std::mt19937 random(1);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    int tried = 0;
    while (tried < 300) {
        const Place a(share(random), share(random));
        const Place b(share(random), share(random));
        const Place c =
            0.5 * (a + b) + 0.5 * std::abs(a - b) * std::polar(share(random), 6.3 * share(random));
        const Place d =
            0.5 * (a + b) + 0.5 * std::abs(a - b) * std::polar(share(random), 6.3 * share(random));
        const auto code = encode(a, b, c, d, 0.0);
        if (!code) {
            continue;
        }
        ++tried;
        const Place turn = std::polar(0.1 + 10.0 * share(random), 6.3 * share(random));
        const Place shift(100.0 * share(random), -50.0 * share(random));
        const bool mirrored = tried % 2 == 0;
        const auto moved = [&](Place p) { return turn * (mirrored ? std::conj(p) : p) + shift; };
        const auto other = encode(moved(b), moved(a), moved(d), moved(c), 1e-6);
        ASSERT_TRUE(other);
        for (std::size_t k = 0; k < 4; ++k) {
            EXPECT_NEAR(
                static_cast<double>(code->value[k]), static_cast<double>(other->value[k]), 1e-5);
        }
        EXPECT_EQ(code->flipped != other->flipped, mirrored);
        // The order says which point is which.
        const std::array<Place, 4> first{a, b, c, d};
        const std::array<Place, 4> second{b, a, d, c};
        for (std::size_t k = 0; k < 4; ++k) {
            EXPECT_LT(std::abs(first[code->order[k]] - second[other->order[k]]), 1e-12);
        }
    }
}

TEST(QuadTest, PointsOutsideTheCircleMakeNoQuad) {
    EXPECT_FALSE(encode({0, 0}, {1, 0}, {0.5, 0.6}, {0.5, 0.1}, 0.0));
    EXPECT_TRUE(encode({0, 0}, {1, 0}, {0.5, 0.51}, {0.5, 0.1}, 0.02));
}

/// Truth: noise of the tolerance put on the points; one of the variants must be what the noisy points give.
TEST(QuadTest, VariantsCoverWhatNoiseMayDo) {
    std::mt19937 random(2);
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::normal_distribution<double> noise(0.0, 0.002);
    int close = 0;
    for (int i = 0; i < 4000; ++i) {
        const Place c(0.5 + 0.1 * (share(random) - 0.5), 0.05 * share(random));
        const Place d(0.5 + 0.1 * (share(random) - 0.5), 0.2 * (share(random) - 0.5));
        const auto code = encode({0, 0}, {1, 0}, c, d, 0.0);
        const auto noisy = encode({0, 0},
                                  {1, 0},
                                  c + Place(noise(random), noise(random)),
                                  d + Place(noise(random), noise(random)),
                                  0.01);
        if (!code || !noisy) {
            continue;
        }
        const auto variants = variantsOf(*noisy, 0.01);
        bool found = false;
        for (int v = 0; v < variants.count; ++v) {
            bool same = true;
            for (std::size_t k = 0; k < 4; ++k) {
                same = same && std::abs(variants.code[static_cast<std::size_t>(v)].value[k] -
                                        code->value[k]) < 0.011F;
            }
            found = found || same;
        }
        EXPECT_TRUE(found) << c << d;
        close += variants.count > 1 ? 1 : 0;
    }
    EXPECT_GT(close, 1000);
}

std::vector<Vec3> randomSky(int count, double radius, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> share(-1.0, 1.0);
    std::vector<Vec3> stars;
    for (int i = 0; i < count; ++i) {
        const Vec3 v{1.0, radius * share(random), radius * share(random)};
        stars.push_back((1.0 / norm(v)) * v);
    }
    return stars;
}

/// Truth: every quad of the index compared one by one.
TEST(PatternIndexTest, LookUpFindsAllThatAreNearAndNoOther) {
    IndexOptions options;
    options.coarsest = 3;
    options.finest = 8;
    const auto index = PatternIndex::build(randomSky(3000, 0.1, 3), options, {});
    ASSERT_TRUE(index);
    ASSERT_GT(index->quads().size(), 1000U);
    for (std::size_t i = 0; i < index->quads().size(); i += 97) {
        std::array<float, 4> code{};
        for (std::size_t k = 0; k < 4; ++k) {
            code[k] = PatternIndex::number(index->quads()[i].code[k]) + 0.003F;
        }
        std::multiset<std::uint32_t> found;
        index->lookUp(
            code, 0.02F, [&](const IndexQuad& q) { found.insert(q.star[0] ^ q.star[2]); });
        std::multiset<std::uint32_t> expected;
        for (const IndexQuad& q : index->quads()) {
            bool near = true;
            for (std::size_t k = 0; k < 4; ++k) {
                const int apart =
                    static_cast<int>(q.code[k]) - static_cast<int>(PatternIndex::quantise(code[k]));
                near = near && std::abs(apart) <= static_cast<int>(0.02F * 32768.0F);
            }
            if (near) {
                expected.insert(q.star[0] ^ q.star[2]);
            }
        }
        EXPECT_EQ(found, expected);
    }
}

TEST(PatternIndexTest, AFileGivesTheSameAndADamagedOneIsRefused) {
    const test_support::TemporaryFolder folder;
    IndexOptions options;
    options.coarsest = 4;
    options.finest = 7;
    const auto index = PatternIndex::build(randomSky(800, 0.1, 4), options, {});
    ASSERT_TRUE(index);
    const auto path = folder / "a.patterns";
    ASSERT_TRUE(index->write(path, "first"));
    const auto back = PatternIndex::open(path, "first");
    ASSERT_TRUE(back) << back.error().detail;
    ASSERT_EQ(back->quads().size(), index->quads().size());
    EXPECT_EQ(back->stars().size(), index->stars().size());
    EXPECT_EQ(back->levels().size(), index->levels().size());
    for (std::size_t i = 0; i < back->quads().size(); ++i) {
        ASSERT_EQ(back->quads()[i].star, index->quads()[i].star);
    }
    EXPECT_FALSE(PatternIndex::open(path, "second")) << "of another catalogue";
    EXPECT_FALSE(PatternIndex::open(folder / "none", "first"));
    for (const std::uintmax_t size : {0U, 10U, 100U, 5000U}) {
        std::filesystem::copy_file(
            path, folder / "cut", std::filesystem::copy_options::overwrite_existing);
        std::filesystem::resize_file(folder / "cut", size);
        EXPECT_FALSE(PatternIndex::open(folder / "cut", "first")) << size;
    }
}

TEST(PatternIndexTest, BuildingCanBeStopped) {
    std::stop_source stop;
    stop.request_stop();
    const auto index = PatternIndex::build(randomSky(500, 0.1, 5), {}, {stop.get_token(), {}, {}});
    ASSERT_FALSE(index);
    EXPECT_EQ(index.error().id, ErrorId::BaseCancelled);
}

/// Truth: Ville's inequality itself. Sources anywhere: the ratio exceeds L, at whatever moment, with probability 1/L at
/// most, also where stars crowd and where the widths are wrong.
TEST(PlaceLikelihoodTest, ChanceExceedsARatioAsSeldomAsStated) {
    std::mt19937 random(6);
    std::uniform_real_distribution<double> share(-0.5, 0.5);
    constexpr double side = 1000.0;
    constexpr int runs = 4000;
    for (const int stars : {10, 60, 400}) {
        int above10 = 0;
        int above100 = 0;
        for (int run = 0; run < runs; ++run) {
            std::vector<Place> field;
            for (int i = 0; i < stars; ++i) {
                field.emplace_back(side * share(random), side * share(random));
            }
            std::vector<bool> taken(field.size(), false);
            PlaceLikelihood likelihood(side * side, side * std::numbers::sqrt2, stars);
            for (const Place& p : {Place(200, 0), Place(-200, 0), Place(0, 200), Place(0, -200)}) {
                likelihood.assume(p, p, false);
            }
            double most = 0.0;
            for (int i = 0; i < 40; ++i) {
                const Place source(side * share(random), side * share(random));
                const Place predicted = likelihood.similarity().apply(source);
                std::optional<std::size_t> best;
                double least = std::pow(likelihood.reach(source), 2.0);
                for (std::size_t k = 0; k < field.size(); ++k) {
                    if (std::norm(field[k] - predicted) < least && !taken[k]) {
                        least = std::norm(field[k] - predicted);
                        best = k;
                    }
                }
                if (best) {
                    taken[*best] = true;
                }
                likelihood.tell(source, best ? std::optional(field[*best]) : std::nullopt);
                most = std::max(most, likelihood.log10());
            }
            above10 += most > 1.0 ? 1 : 0;
            above100 += most > 2.0 ? 1 : 0;
        }
        // Three sigmas of the count on top.
        EXPECT_LT(above10, runs / 10 + 3 * 19) << stars;
        EXPECT_LT(above100, runs / 100 + 3 * 7) << stars;
    }
}

TEST(PlaceLikelihoodTest, TrueStarsRaiseItFast) {
    PlaceLikelihood likelihood(4e6, 2800.0, 50.0);
    for (const Place& p : {Place(300, 0), Place(-300, 100), Place(0, 300), Place(50, -300)}) {
        likelihood.assume(p, p, false);
    }
    std::mt19937 random(7);
    std::uniform_real_distribution<double> share(-900.0, 900.0);
    std::normal_distribution<double> noise(0.0, 0.3);
    for (int i = 0; i < 10; ++i) {
        const Place p(share(random), share(random));
        likelihood.tell(p, p + Place(noise(random), noise(random)));
    }
    EXPECT_EQ(likelihood.matched(), 10);
    EXPECT_GT(likelihood.log10(), 20.0);
}

} // namespace
} // namespace pathmark::solve
