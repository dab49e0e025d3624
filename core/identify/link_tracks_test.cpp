#include "core/identify/link_tracks.h"

#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <numbers>
#include <random>
#include <set>

namespace pathmark::identify {
namespace {

/// A field with movers among stars and spurious sources; each source knows whose it is.
struct MadeField {
    std::vector<LinkFrame> frames;
    std::vector<std::vector<int>> owner; ///< of each source: a mover's number, or -1
    std::vector<int> seen;               ///< how often each mover was detected
};

/// 5000 stars, 97 % of them detected in a frame; a fifth as many spurious sources; 40 movers of S/N above 6, of which
/// one in twelve is missed, on curved paths (a distance of 0.3 to 3 au and the Earth's turning); dithers of 40".
MadeField makeField(unsigned seed, int frames, double minutesApart) {
    std::mt19937 random(seed);
    const auto uniform = [&](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    };
    std::normal_distribution<double> normal;
    const SkyPos centre = skyDegrees(359.9, 30.0);
    constexpr double half = 1000.0; // arcsec
    const auto skyAt = [&](double x, double y) {
        return fromTangentPlane(centre, {x * kRadiansPerArcsec, y * kRadiansPerArcsec});
    };

    struct Star {
        double x, y;
    };

    struct Mover {
        double x, y, vx, vy, parallax, phase;
    };

    std::vector<Star> stars(5000);
    for (Star& s : stars) {
        s = {uniform(-1.1 * half, 1.1 * half), uniform(-1.1 * half, 1.1 * half)};
    }
    std::vector<Mover> movers(40);
    for (Mover& m : movers) {
        const double rate = std::exp(uniform(std::log(0.15), std::log(4.0)));
        const double angle = uniform(0.0, 2.0 * std::numbers::pi);
        m = {uniform(-0.7 * half, 0.7 * half),
             uniform(-0.7 * half, 0.7 * half),
             rate * std::cos(angle),
             rate * std::sin(angle),
             8.79 / uniform(0.3, 3.0),
             uniform(-0.6, 0.6)};
    }
    MadeField field;
    field.seen.assign(movers.size(), 0);
    const Utc start = *parseUtc("2034-03-17T20:00:00");
    for (int f = 0; f < frames; ++f) {
        const double minutes = f * minutesApart + uniform(0.0, 0.2 * minutesApart);
        const double dx = uniform(-40.0, 40.0);
        const double dy = uniform(-40.0, 40.0);
        LinkFrame frame;
        frame.middle = start.plusSeconds(60.0 * minutes);
        for (const auto& [x, y] : {std::pair{-half, -half},
                                   std::pair{half, -half},
                                   std::pair{half, half},
                                   std::pair{-half, half}}) {
            frame.corners.push_back(skyAt(x + dx, y + dy));
        }
        std::vector<int> owner;
        const auto put = [&](double x, double y, double sigma, double snr, int whose) {
            if (std::abs(x - dx) < half && std::abs(y - dy) < half) {
                frame.sources.push_back(
                    {skyAt(x + sigma * normal(random), y + sigma * normal(random)), sigma, snr});
                owner.push_back(whose);
                if (whose >= 0) {
                    ++field.seen[static_cast<std::size_t>(whose)];
                }
            }
        };
        for (const Star& s : stars) {
            if (uniform(0.0, 1.0) < 0.97) {
                put(s.x, s.y, 0.1, 30.0, -1);
            }
        }
        for (int k = 0; k < 1000; ++k) {
            put(uniform(-half, half) + dx, uniform(-half, half) + dy, 0.2, 5.0, -1);
        }
        for (std::size_t m = 0; m < movers.size(); ++m) {
            const Mover& body = movers[m];
            const double turn = body.phase + 2.0 * std::numbers::pi * minutes / 1436.0;
            if (uniform(0.0, 1.0) > 1.0 / 12.0) {
                put(body.x + body.vx * minutes +
                        body.parallax * (std::sin(turn) - std::sin(body.phase)),
                    body.y + body.vy * minutes +
                        0.3 * body.parallax * (std::cos(turn) - std::cos(body.phase)),
                    0.15,
                    8.0,
                    static_cast<int>(m));
            }
        }
        field.frames.push_back(std::move(frame));
        field.owner.push_back(std::move(owner));
    }
    return field;
}

struct Score {
    int present = 0; ///< movers detected three times and more
    int found = 0;
    int wrong = 0; ///< tracks that are mostly not of one mover
};

Score scoreOf(const MadeField& field, const std::vector<Track>& tracks) {
    Score score;
    std::set<int> found;
    for (const Track& track : tracks) {
        std::map<int, int> votes;
        for (const auto& member : track.members) {
            ++votes[field.owner[member.frame][member.source]];
        }
        int best = -1;
        int most = 0;
        for (const auto& [mover, count] : votes) {
            if (mover >= 0 && count > most) {
                best = mover;
                most = count;
            }
        }
        if (most >= 3 && 2 * most > static_cast<int>(track.members.size())) {
            found.insert(best);
        } else {
            ++score.wrong;
        }
    }
    for (const int count : field.seen) {
        score.present += count >= 3 ? 1 : 0;
    }
    score.found = static_cast<int>(found.size());
    return score;
}

class LinkFieldsTest : public testing::TestWithParam<std::pair<int, double>> {};

/// Truth: the movers that were put in.
TEST_P(LinkFieldsTest, FindsTheMoversAndNothingElse) {
    Score sum;
    constexpr unsigned fields = 5;
    for (unsigned seed = 1; seed <= fields; ++seed) {
        const auto field = makeField(seed, GetParam().first, GetParam().second);
        const Score score = scoreOf(field, linkTracks(field.frames));
        sum.present += score.present;
        sum.found += score.found;
        sum.wrong += score.wrong;
    }
    RecordProperty("present", sum.present);
    RecordProperty("found", sum.found);
    RecordProperty("wrong", sum.wrong);
    EXPECT_GE(sum.found, static_cast<int>(0.98 * sum.present)) << sum.present;
    EXPECT_LE(sum.wrong, static_cast<int>(fields));
}

/// Frames and minutes between them.
INSTANTIATE_TEST_SUITE_P(Fields,
                         LinkFieldsTest,
                         testing::Values(std::pair{6, 12.0},
                                         std::pair{10, 5.0},
                                         std::pair{10, 15.0},
                                         std::pair{20, 6.0}));

/// Truth: three frames of a field with a chance of false tracks: none of them may be wrong more than once.
TEST(LinkTracksTest, ThreeFramesGiveNoRubbish) {
    const auto field = makeField(11, 3, 15.0);
    EXPECT_LE(scoreOf(field, linkTracks(field.frames)).wrong, 1);
}

TEST(LinkTracksTest, TwoFramesAreNoTrack) {
    const auto field = makeField(12, 2, 15.0);
    EXPECT_TRUE(linkTracks(field.frames).empty());
}

/// Truth: the mover's own motion, put in by hand across 0h of right ascension.
TEST(LinkTracksTest, TheMotionIsTheMoversOwn) {
    std::vector<LinkFrame> frames;
    const Utc start = *parseUtc("2034-03-17T20:00:00");
    const SkyPos centre = skyDegrees(0.0, 10.0);
    for (const double minutes : {30.0, 0.0, 12.0, 47.0}) {
        LinkFrame frame;
        frame.middle = start.plusSeconds(60.0 * minutes);
        for (const auto& [x, y] : {std::pair{-500.0, -500.0},
                                   std::pair{500.0, -500.0},
                                   std::pair{500.0, 500.0},
                                   std::pair{-500.0, 500.0}}) {
            frame.corners.push_back(
                fromTangentPlane(centre, {x * kRadiansPerArcsec, y * kRadiansPerArcsec}));
        }
        frame.sources.push_back({fromTangentPlane(centre,
                                                  {(1.5 * minutes - 20.0) * kRadiansPerArcsec,
                                                   -0.5 * minutes * kRadiansPerArcsec}),
                                 0.1,
                                 20.0});
        frames.push_back(frame);
    }
    const auto tracks = linkTracks(frames);
    ASSERT_EQ(tracks.size(), 1U);
    // Its place at any time, its own reference among them.
    for (const double minutes : {0.0, 20.0, 60.0}) {
        const SkyPos truth = fromTangentPlane(
            centre,
            {(1.5 * minutes - 20.0) * kRadiansPerArcsec, -0.5 * minutes * kRadiansPerArcsec});
        EXPECT_LT(separation(tracks[0].at(start.plusSeconds(60.0 * minutes)), truth).arcsec(), 0.3);
    }
    EXPECT_EQ(tracks[0].members.size(), 4U);
    EXPECT_EQ(tracks[0].members.front().frame, 1U);
    EXPECT_NEAR(tracks[0].xiArcsecPerMin, 1.5, 0.01);
    EXPECT_NEAR(tracks[0].etaArcsecPerMin, -0.5, 0.01);
    EXPECT_LT(tracks[0].falseTracksLog10, -5.0);
}

/// Thirty frames of one field without a single source.
std::vector<LinkFrame> emptyFrames(int count, const SkyPos& centre) {
    std::vector<LinkFrame> frames;
    const Utc start = *parseUtc("2034-03-17T20:00:00");
    for (int f = 0; f < count; ++f) {
        LinkFrame frame;
        frame.middle = start.plusSeconds(70.0 * f + (f >= count / 2 ? 4800.0 : 0.0));
        for (const auto& [x, y] : {std::pair{-800.0, -800.0},
                                   std::pair{800.0, -800.0},
                                   std::pair{800.0, 800.0},
                                   std::pair{-800.0, 800.0}}) {
            frame.corners.push_back(
                fromTangentPlane(centre, {x * kRadiansPerArcsec, y * kRadiansPerArcsec}));
        }
        frames.push_back(frame);
    }
    return frames;
}

SkySource sourceAt(const SkyPos& centre, double x, double y, bool isStar = false) {
    return {
        fromTangentPlane(centre, {x * kRadiansPerArcsec, y * kRadiansPerArcsec}), 0.2, 8.0, isStar};
}

/// Truth: stars at fixed places, each unexplained in a fifth of the frames and known for a star in the others.
TEST(LinkTracksTest, StarsThatAreKnownOnlyNowAndThenAreNoTracks) {
    const SkyPos centre = skyDegrees(40.0, -20.0);
    auto frames = emptyFrames(30, centre);
    std::mt19937 random(5);
    std::uniform_real_distribution<double> place(-780.0, 780.0);
    std::normal_distribution<double> error(0.0, 0.2);
    for (int star = 0; star < 120; ++star) {
        const double x = place(random);
        const double y = place(random);
        for (auto& frame : frames) {
            frame.sources.push_back(
                sourceAt(centre, x + error(random), y + error(random), random() % 5 != 0));
        }
    }
    EXPECT_TRUE(linkTracks(frames).empty());
}

/// Truth: fragments strewn at random within 25", as in a bright coma, in a field that is empty elsewhere.
TEST(LinkTracksTest, ACrowdOfSourcesInOnePlaceIsNoTrack) {
    const SkyPos centre = skyDegrees(40.0, -20.0);
    int tracks = 0;
    for (unsigned seed = 1; seed <= 10; ++seed) {
        auto frames = emptyFrames(8, centre);
        std::mt19937 random(seed);
        std::normal_distribution<double> coma(0.0, 12.0);
        for (auto& frame : frames) {
            for (int k = 0; k < 15; ++k) {
                frame.sources.push_back(sourceAt(centre, coma(random), coma(random)));
            }
        }
        tracks += static_cast<int>(linkTracks(frames).size());
    }
    EXPECT_LE(tracks, 10) << "one a field at most";
}

/// Truth: one source in every frame at one place, with errors five times the stated ones: it does not move.
/// Truth: stars that run together, whose centroid goes 7" in one direction over the run while its errors say 0.1"; a real
/// mover goes 37".
TEST(LinkTracksTest, WhatHardlyLeavesItsPlaceIsNoTrack) {
    const SkyPos centre = skyDegrees(40.0, -20.0);
    auto frames = emptyFrames(12, centre);
    for (std::size_t f = 0; f < frames.size(); ++f) {
        const double minutes = frames[f].middle.secondsSince(frames[0].middle) / 60.0;
        frames[f].sources.push_back(sourceAt(centre, 0.075 * minutes, 200.0));
        frames[f].sources.back().sigmaArcsec = 0.1;
        frames[f].sources.push_back(sourceAt(centre, -200.0, 0.4 * minutes));
        frames[f].sources.back().sigmaArcsec = 0.1;
    }
    EXPECT_EQ(linkTracks(frames).size(), 2U);
    LinkOptions options;
    options.leastTravelArcsec = 9.0;
    const auto tracks = linkTracks(frames, options);
    ASSERT_EQ(tracks.size(), 1U);
    EXPECT_GT(std::abs(tracks.front().etaArcsecPerMin), std::abs(tracks.front().xiArcsecPerMin));
}

TEST(LinkTracksTest, WhatOnlyItsErrorsMoveStandsStill) {
    const SkyPos centre = skyDegrees(40.0, -20.0);
    auto frames = emptyFrames(12, centre);
    std::mt19937 random(9);
    std::normal_distribution<double> error(0.0, 1.0);
    for (auto& frame : frames) {
        frame.sources.push_back(sourceAt(centre, error(random), error(random)));
    }
    EXPECT_TRUE(linkTracks(frames).empty());
}

} // namespace
} // namespace pathmark::identify
