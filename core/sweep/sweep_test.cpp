#include "core/sweep/sweep.h"

#include "tests/support/made_maps.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

namespace pathmark::sweep {
namespace {

using test_support::MadeBody;
using test_support::MadeField;

SweepOptions slow(double most, double falseAlarms = 0.1) {
    SweepOptions options;
    options.bounds.leastRate = 0.15;
    options.bounds.mostRate = most;
    options.falseAlarms = falseAlarms;
    return options;
}

SweepResult swept(const LightMaps& maps, const SweepOptions& options) {
    auto result = sweepOver(maps, options, {});
    EXPECT_TRUE(result) << (result ? "" : result.error().detail);
    return result ? std::move(*result) : SweepResult{};
}

bool isAt(const Candidate& candidate, const MadeBody& body) {
    return std::hypot(candidate.track.place.x - body.x, candidate.track.place.y - body.y) < 1.5 &&
           std::hypot(candidate.track.velocity.x - body.vx, candidate.track.velocity.y - body.vy) <
               3.0;
}

/// Truth: what was planted. None of the three shows in one frame (S/N 2.6, 3.2 and 2.3).
TEST(SweepTest, BodiesTooFaintForAFrameAreFoundWithNothingElse) {
    MadeField field;
    field.bodies = {{80.3, 60.8, 25.0, -12.0, 0.0},
                    {170.1, 120.2, -31.5, 8.2, 0.0},
                    {128.7, 90.4, 9.1, 22.3, 0.0}};
    field.bodies[0].electrons = field.electronsFor(9.0);
    field.bodies[1].electrons = field.electronsFor(11.0);
    field.bodies[2].electrons = field.electronsFor(8.0);
    const LightMaps maps = field.maps();
    const auto result = swept(maps, slow(1.5));
    ASSERT_EQ(result.candidates.size(), 3U);
    EXPECT_TRUE(isAt(result.candidates[0], field.bodies[1]));
    for (const auto& candidate : result.candidates) {
        EXPECT_LT(candidate.log10FalseAlarms, -1.0);
        const auto& body = *std::find_if(
            field.bodies.begin(), field.bodies.end(), [&](auto& b) { return isAt(candidate, b); });
        EXPECT_NEAR(candidate.electrons, body.electrons, 3.5 * candidate.electronsError);
    }
}

/// A body that shows in every frame makes one candidate, not one for every motion that meets a part of it.
TEST(SweepTest, ABrightBodyIsOneCandidate) {
    MadeField field;
    field.bodies = {{120.3, 90.8, 25.0, -12.0, field.electronsFor(60.0)}};
    const auto result = swept(field.maps(), slow(1.5));
    ASSERT_EQ(result.candidates.size(), 1U);
    EXPECT_TRUE(isAt(result.candidates[0], field.bodies[0]));
}

/// A near body's way bends as the observer turns with the Earth: on a straight line most of its light is lost.
TEST(SweepTest, AWayThatBendsIsFollowed) {
    MadeField field;
    field.bodies = {{120.3, 90.8, 25.0, -12.0, field.electronsFor(40.0), 5.0}};
    const LightMaps maps = field.maps();
    const auto result = swept(maps, slow(1.5));
    ASSERT_GE(result.candidates.size(), 1U);
    EXPECT_NEAR(result.candidates[0].track.bend.y, 5.0, 0.7);
    EXPECT_NEAR(result.candidates[0].track.bend.x, 0.0, 0.7);
    EXPECT_GT(result.candidates[0].snr, 33.0);
    // Where it is on the sky is where its way over the field says, by the solution of the field.
    for (const double time : {-1.0, 0.3, 1.0}) {
        const auto& found = result.candidates[0];
        const Utc when = maps.origin().plusSeconds(time * maps.unitSeconds());
        EXPECT_LT(separation(found.at(when), field.grid().wcs.toSky(found.track.at(time))).arcsec(),
                  0.02);
    }
}

/// Light that a single frame makes is no body, however strong: a particle, a satellite.
TEST(SweepTest, OneFramesLightIsNoBody) {
    const MadeField field;
    const LightMaps maps = field.maps([&](int frame, FramePixels& pixels) {
        if (frame == 4) {
            test_support::Photons photons(1);
            photons.setBlur(field.fwhm, field.beta, 0.0, 0.0);
            photons.point(pixels.light, 100.0, 90.0, 50000.0);
        }
    });
    for (const Candidate& candidate : swept(maps, slow(1.5)).candidates) {
        const auto there = candidate.track.at(maps.times()[4]);
        EXPECT_GT(std::hypot(there.x - 100.0, there.y - 90.0), 12.0) << candidate.snr;
    }
}

/// A body outside the bounds is not looked for.
TEST(SweepTest, BoundsAreKept) {
    MadeField field;
    field.bodies = {{120.3, 90.8, 30.0, 0.0, field.electronsFor(12.0)}}; // 1"/min towards west
    const LightMaps maps = field.maps();
    SweepOptions options = slow(1.5);
    options.bounds.from = Angle::degrees(0.0);
    options.bounds.to = Angle::degrees(180.0);
    EXPECT_TRUE(swept(maps, options).candidates.empty());
    options.bounds.from = Angle::degrees(240.0);
    options.bounds.to = Angle::degrees(300.0);
    const auto result = swept(maps, options);
    ASSERT_EQ(result.candidates.size(), 1U);
    EXPECT_NEAR(result.candidates[0].positionAngle.degrees(), 270.0, 3.0);
    EXPECT_NEAR(result.candidates[0].rateArcsecPerMin, 1.0, 0.05);
}

/// Truth: as many as were asked for. 12 fields of 3 expected each; the number of a Poisson law of 36 lies within 18 and 60.
TEST(SweepTest, ChanceMakesAsManyCandidatesAsStated) {
    std::size_t count = 0;
    for (std::uint32_t seed = 100; seed < 112; ++seed) {
        MadeField field;
        field.width = 192;
        field.height = 128;
        field.seed = seed;
        count += swept(field.maps(), slow(1.2, 3.0)).candidates.size();
    }
    EXPECT_GE(count, 18U);
    EXPECT_LE(count, 60U);
}

TEST(SweepTest, NoMotionWithinBoundsIsSaid) {
    const auto result = sweepOver(MadeField().maps(), slow(0.01), {});
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().id, ErrorId::SweepNoMotion);
}

TEST(SweepTest, ItIsStoppedWhereItStands) {
    std::stop_source source;
    source.request_stop();
    Job job;
    job.stop = source.get_token();
    const auto result = sweepOver(MadeField().maps(), slow(1.5), job);
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().id, ErrorId::BaseCancelled);
}

/// What does not fit into memory lies in files, and ends the same.
TEST(SweepTest, MapsInFilesFindTheSame) {
    const test_support::TemporaryFolder folder;
    MadeField field;
    field.bodies = {{100.0, 90.0, 20.0, 9.0, field.electronsFor(11.0)}};
    SweepOptions options;
    options.bounds.leastRate = 0.3;
    options.bounds.mostRate = 4.0; // with trails
    const auto inMemory = sweepOver(field.maps(), options, {});
    LightMaps maps(field.grid(), field.maps().frames());
    maps.keepIn(folder.path());
    for (int i = 0; i < field.frames; ++i) {
        maps.take(static_cast<std::size_t>(i), field.pixels(i));
    }
    maps.finish();
    const auto inFiles = sweepOver(std::move(maps), options, {});
    ASSERT_TRUE(inMemory && inFiles);
    ASSERT_EQ(inFiles->candidates.size(), 1U);
    ASSERT_EQ(inMemory->candidates.size(), 1U);
    EXPECT_EQ(inFiles->candidates[0].snr, inMemory->candidates[0].snr);
    EXPECT_EQ(inFiles->thresholdSnr, inMemory->thresholdSnr);
    EXPECT_TRUE(std::filesystem::is_empty(folder.path()));
}

TEST(SweepTest, BoundsBeyondReasonAreRefusedAtOnce) {
    const MadeField field;
    SweepOptions options;
    options.bounds.mostRate = 100000.0;
    const auto plan = planOf(field.maps(), options);
    ASSERT_FALSE(plan);
    EXPECT_EQ(plan.error().id, ErrorId::SweepTooWide);
    EXPECT_FALSE(sweepOver(field.maps(), options, {}));
    // A narrow range of directions holds fewer.
    options.bounds.mostRate = 60.0;
    options.bounds.leastRate = 59.9;
    options.bounds.from = Angle::degrees(10.0);
    options.bounds.to = Angle::degrees(11.0);
    EXPECT_TRUE(planOf(field.maps(), options));
}

/// Two moving together: the wings of a bright one that no profile knows, four widths beside it, and a body of its own far from it.
TEST(SweepTest, WhatKeepsBesideABrightBodyIsItsOwnLight) {
    MadeField field;
    field.bodies = {{100.0, 90.0, 20.0, 9.0, 0.0},
                    {110.0, 93.0, 20.5, 9.0, field.electronsFor(11.0)},
                    {180.0, 50.0, 18.0, 9.0, field.electronsFor(11.0)}};
    field.bodies[0].electrons = field.electronsFor(600.0);
    SweepOptions options;
    options.bounds.leastRate = 0.3;
    options.bounds.mostRate = 1.2;
    const auto result = sweepOver(field.maps(), options, {});
    ASSERT_TRUE(result);
    ASSERT_EQ(result->candidates.size(), 2U);
    EXPECT_NEAR(result->candidates[0].track.place.x, 100.0, 1.0);
    EXPECT_NEAR(result->candidates[1].track.place.x, 180.0, 2.0);
    EXPECT_TRUE(std::any_of(result->refused.begin(), result->refused.end(), [](const auto& r) {
        return r.why.find("beside") != std::string::npos;
    }));
}

} // namespace
} // namespace pathmark::sweep
