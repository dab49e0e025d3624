#include "core/sweep/tracks.h"

#include "tests/support/made_maps.h"

#include <gtest/gtest.h>

#include <cmath>

// Light along tracks, on fields whose bodies were drawn photon by photon.
namespace pathmark::sweep {
namespace {

using test_support::MadeBody;
using test_support::MadeField;

Track trackOf(const MadeBody& body) {
    return {{body.x, body.y}, {body.vx, body.vy}, {}};
}

/// Truth: the S/N that the body was given by the sum of the squares of its profile; one such sum scatters by 1.
TEST(TracksTest, TheTrueTrackHoldsTheBodysSignal) {
    MadeField field;
    field.bodies = {{100.4, 90.7, 22.0, -14.0, 0.0}};
    field.bodies[0].electrons = field.electronsFor(25.0);
    const LightMaps maps = field.maps();
    const Tracks tracks(maps);
    const double snr = tracks.along(trackOf(field.bodies[0]), {}, true).snr();
    // A trail of some 0.9 pixels loses a few per cent against a point.
    EXPECT_NEAR(snr, 25.0, 3.5);
    Track wrong = trackOf(field.bodies[0]);
    wrong.velocity.x += 12.0;
    EXPECT_LT(tracks.along(wrong).snr(), 0.45 * snr);
    wrong = trackOf(field.bodies[0]);
    wrong.place.y += 6.0;
    EXPECT_LT(tracks.along(wrong).snr(), 0.25 * snr);
}

TEST(TracksTest, TheSearchClimbsToTheTrueTrack) {
    MadeField field;
    field.bodies = {{130.2, 80.9, -18.0, 9.0, 0.0}};
    field.bodies[0].electrons = field.electronsFor(30.0);
    const LightMaps maps = field.maps();
    const Tracks tracks(maps);
    Track from = trackOf(field.bodies[0]);
    from.place.x += 1.1;
    from.place.y -= 0.9;
    from.velocity.x += 1.4;
    const Track found = tracks.highest(from);
    // Place, motion and bend fitted together scatter by 0.11 pixels at this S/N (24 such fields).
    EXPECT_NEAR(found.place.x, 130.2, 0.4);
    EXPECT_NEAR(found.place.y, 80.9, 0.4);
    EXPECT_NEAR(found.velocity.x, -18.0, 0.4);
    EXPECT_NEAR(found.velocity.y, 9.0, 0.4);
    // The best of six numbers lies above the truth by about 6 / 2 / S/N.
    const double gain = tracks.along(found, {}, true).snr() -
                        tracks.along(trackOf(field.bodies[0]), {}, true).snr();
    EXPECT_GT(gain, -0.01);
    EXPECT_LT(gain, 4.0 * 3.0 / 30.0);
}

TEST(TracksTest, WithoutBodiesATrackIsNoise) {
    MadeField field;
    const LightMaps maps = field.maps();
    const Tracks tracks(maps);
    double sum = 0.0;
    double squares = 0.0;
    int count = 0;
    for (int i = 0; i < 400; ++i) {
        const int row = i / 20;
        const Track track{{40.0 + 9.0 * (i % 20), 40.0 + 5.5 * row},
                          {static_cast<double>(i % 7) - 3.0, static_cast<double>(i % 11) - 5.0},
                          {}};
        const double snr = tracks.along(track).snr();
        sum += snr;
        squares += snr * snr;
        ++count;
    }
    EXPECT_NEAR(sum / count, 0.0, 0.2);
    EXPECT_NEAR(std::sqrt(squares / count), 1.0, 0.12);
}

/// What was found counts for nothing else.
TEST(TracksTest, AFoundBodysLightIsPassedOver) {
    MadeField field;
    field.bodies = {{128.0, 96.0, 20.0, 0.0, 0.0}};
    field.bodies[0].electrons = field.electronsFor(40.0);
    const LightMaps maps = field.maps();
    const Tracks tracks(maps);
    const Track own = trackOf(field.bodies[0]);
    const FoundBody body = tracks.body(own, 12.0);
    EXPECT_LT(tracks.along(own, std::array{body}).information, 0.05);
    // A track that crosses it in the middle alone keeps most of its frames.
    const Track crossing{{128.0, 96.0}, {20.0, 30.0}, {}};
    const TrackLight all = tracks.along(crossing);
    const TrackLight without = tracks.along(crossing, std::array{body});
    EXPECT_LT(without.information, all.information);
    EXPECT_GT(without.information, 0.5 * all.information);
    EXPECT_LT(without.snr(), 3.5);
}

TEST(TracksTest, TheSameTrackIsToldFromAnother) {
    const MadeField field;
    const LightMaps maps = field.maps();
    const Tracks tracks(maps);
    const Track one{{100.0, 80.0}, {15.0, 5.0}, {}};
    EXPECT_TRUE(tracks.isSame(one, one));
    EXPECT_TRUE(tracks.isSame(one, {{100.6, 79.8}, {15.5, 5.0}, {}}));
    EXPECT_FALSE(tracks.isSame(one, {{105.0, 80.0}, {15.0, 5.0}, {}}));
    EXPECT_FALSE(tracks.isSame(one, {{100.0, 80.0}, {15.0, 11.0}, {}}));
    // They meet at one end only.
    EXPECT_FALSE(tracks.isSame(one, {{108.0, 80.0}, {7.0, 5.0}, {}}));
}

TEST(TrackTest, AWayThatBendsMeetsItsLineInTheMiddle) {
    const Track track{{10.0, 20.0}, {4.0, -2.0}, {0.5, 1.0}};
    EXPECT_DOUBLE_EQ(track.at(0.0).x, 10.0);
    EXPECT_DOUBLE_EQ(track.at(1.0).x, 14.5);
    EXPECT_DOUBLE_EQ(track.at(-1.0).x, 6.5);
    EXPECT_DOUBLE_EQ(track.at(-1.0).y, 23.0);
    EXPECT_DOUBLE_EQ(track.at(1.0).y, 19.0);
}

} // namespace
} // namespace pathmark::sweep
