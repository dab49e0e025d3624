#include "core/sweep/tile_search.h"

#include "tests/support/made_maps.h"

#include <gtest/gtest.h>

namespace pathmark::sweep {
namespace {

std::vector<double> sharesOf(const LightMaps& maps) {
    std::vector<double> shares;
    for (std::size_t i = 0; i < maps.frames().size(); ++i) {
        shares.push_back(maps.map(i).share);
    }
    return shares;
}

std::vector<Hit> hitsOf(const LightMaps& maps, const MotionBounds& bounds, double snr) {
    const TrailForm form(meanWidth(maps));
    const auto zones = motionZones(bounds, maps, form);
    const MotionTree tree(maps.times(), sharesOf(maps));
    ZoneSearch search(maps, maps.asTheyAre(), tree);
    std::vector<Hit> hits;
    for (std::size_t z = 0; z < zones.size(); ++z) {
        search.enter(zones[z], z);
        const auto found = search.run(snr, {}, 0, search.tiles(), {});
        hits.insert(hits.end(), found.hits.begin(), found.hits.end());
    }
    return hits;
}

double highest(const std::vector<Hit>& hits) {
    double snr = 0.0;
    for (const Hit& hit : hits) {
        snr = std::max(snr, hit.snr);
    }
    return snr;
}

/// Truth: the sum of the squares of the profile. What is lost is motions between the lattice, whole pixels at every node of the tree,
/// and trails of a zone alike; sweepOver allows for 0.78.
TEST(ZoneSearchTest, ABodyAnywhereOnAnyMotionKeepsItsSum) {
    test_support::Photons random(11);
    double sum = 0.0;
    constexpr int kBodies = 40;
    for (int k = 0; k < kBodies; ++k) {
        test_support::MadeField field;
        field.width = 320;
        field.height = 96;
        field.frames = 5 + k % 17;
        field.isNoisy = false;
        field.exposureSeconds = 100.0;
        field.noise =
            2000.0; // bodies of so much light that their photons scatter by a few per cent only
        const double vx = 120.0 * random.uniform() - 60.0;
        const double vy = 60.0 * random.uniform() - 30.0;
        field.bodies.push_back(
            {160.0 + random.uniform(), 48.0 + random.uniform(), vx, vy, field.electronsFor(8.0)});
        const LightMaps maps = field.maps();
        const MotionScale scale(maps);
        MotionBounds bounds;
        const double rate = scale.rate({vx, vy});
        bounds.leastRate = std::max(0.0, rate - 0.2);
        bounds.mostRate = rate + 0.2;
        const Tracks tracks(maps);
        const double exact = tracks.along({{field.bodies[0].x, field.bodies[0].y}, {vx, vy}}).snr();
        const double found = highest(hitsOf(maps, bounds, 3.0));
        EXPECT_GT(found, 0.78 * exact) << vx << " " << vy << " " << field.frames;
        EXPECT_LT(found, 1.05 * exact);
        sum += found / exact;
    }
    EXPECT_GT(sum / kBodies, 0.88);
}

/// Blocks drawn by lot are a part of all, and what they find is what a whole search finds there.
TEST(ZoneSearchTest, ASampleFindsAPartOfTheSame) {
    test_support::MadeField field;
    field.frames = 8;
    const LightMaps maps = field.maps();
    MotionBounds bounds;
    bounds.leastRate = 0.2;
    bounds.mostRate = 1.5;
    const auto zones = motionZones(bounds, maps, TrailForm(meanWidth(maps)));
    const MotionTree tree(maps.times(), sharesOf(maps));
    ZoneSearch search(maps, maps.asTheyAre(), tree);
    search.enter(zones[0], 0);
    const Sample half{7, 0.5};
    const auto all = search.run(3.5, {}, 0, search.tiles(), {});
    const auto part = search.run(3.5, half, 0, search.tiles(), {});
    EXPECT_GT(part.hits.size(), all.hits.size() / 4);
    EXPECT_LT(part.hits.size(), all.hits.size() * 3 / 4);
    for (const Hit& hit : part.hits) {
        const Block block = blockOf(zones[0], hit.track.velocity);
        EXPECT_TRUE(half.takes(0, block.i, block.j));
    }
}

/// Additions over motions and pixels: two for each, whatever the number of frames, and margins.
TEST(ZoneSearchTest, SumsAreSharedBetweenMotions) {
    test_support::MadeField field;
    field.width = 256;
    field.height = 64;
    field.frames = 32;
    field.exposureSeconds = 10.0;
    const LightMaps maps = field.maps();
    MotionBounds bounds;
    bounds.mostRate = 2.0;
    const auto zones = motionZones(bounds, maps, TrailForm(meanWidth(maps)));
    const MotionTree tree(maps.times(), sharesOf(maps));
    ZoneSearch search(maps, maps.asTheyAre(), tree);
    search.enter(zones[0], 0);
    const auto found = search.run(30.0, {}, 0, search.tiles(), {});
    EXPECT_LT(found.additions / (256.0 * 64.0 * static_cast<double>(zones[0].count)), 3.0);
}

} // namespace
} // namespace pathmark::sweep
