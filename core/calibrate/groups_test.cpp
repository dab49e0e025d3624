#include "core/calibrate/groups.h"

#include <gtest/gtest.h>

#include <functional>
#include <set>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;
using frame::FrameKind;

FrameInfo light(int number, const char* object, double ra, double dec) {
    FrameInfo info;
    info.id = frame::FrameId(std::to_string(number));
    info.path = "/n/" + std::to_string(number) + ".fits";
    info.kind = FrameKind::Light;
    info.camera = "Brack S1";
    info.width = 1500;
    info.height = 1000;
    info.exposureSeconds = 60.0;
    info.exposureKnown = true;
    info.filter = "R";
    info.object = object;
    info.statedScaleArcsec = 1.0;
    info.pointing = skyDegrees(ra, dec);
    info.midExposure = Utc::julian(2464039.0).plusSeconds(70.0 * number);
    return info;
}

struct Pair {
    const char* what;
    const char* object;
    double north; ///< arcmin from the first
    bool same;
};

class SameTargetTest : public testing::TestWithParam<Pair> {};

/// Truth: a field of 1000 arcseconds, 16.7 arcmin, on its shorter side: half of it is 8.3, a twentieth 0.83.
TEST_P(SameTargetTest, IsToldByPointingAndName) {
    const Pair& p = GetParam();
    const FrameInfo first = light(1, "2034 EQ7", 177.0, 2.0);
    const FrameInfo second = light(2, p.object, 177.0, 2.0 + p.north / 60.0);
    EXPECT_EQ(sameTarget(first, second), p.same) << p.what;
    EXPECT_EQ(sameTarget(second, first), p.same) << p.what;
    EXPECT_EQ(groupFrames(std::vector{first, second}).size(), p.same ? 1U : 2U) << p.what;
}

INSTANTIATE_TEST_SUITE_P(Pairs,
                         SameTargetTest,
                         testing::Values(Pair{"a dither", "2034 EQ7", 1.0, true},
                                         Pair{"written otherwise", "2034 eq7 ", 1.0, true},
                                         Pair{"a comet's drift", "2034 EQ7", 8.0, true},
                                         Pair{"the next field", "2034 EQ7", 9.0, false},
                                         Pair{"another body, near", "2034 EW2", 1.0, false},
                                         Pair{"another name, one pointing", "flip", 0.5, true},
                                         Pair{"without a name", "", 1.0, true}));

TEST(SameTargetTest, WithoutAScaleNamesCountForMore) {
    FrameInfo first = light(1, "2034 EQ7", 177.0, 2.0);
    FrameInfo second = light(2, "2034 EQ7", 177.0, 3.5);
    first.statedScaleArcsec.reset();
    second.statedScaleArcsec.reset();
    EXPECT_TRUE(sameTarget(first, second));
    second.object = "2034 EW2";
    EXPECT_FALSE(sameTarget(first, second));
    first.object = second.object = "";
    EXPECT_FALSE(sameTarget(first, second));
    second.pointing.reset();
    EXPECT_TRUE(sameTarget(first, second)) << "neither says anything";
}

/// Two series of one title are two, and each keeps its id when frames come to its end.
TEST(SeriesIdTest, TellsSeriesOfOneTitleApart) {
    std::vector<FrameInfo> frames{light(1, "", 177.0, 2.0),
                                  light(2, "", 177.0, 2.0),
                                  light(3, "", 179.0, 2.0),
                                  light(4, "", 179.0, 2.0)};
    const auto groups = groupFrames(frames);
    ASSERT_EQ(groups.size(), 2U);
    EXPECT_EQ(groups[0].title(), groups[1].title());
    EXPECT_NE(groups[0].id, groups[1].id);
    frames.push_back(light(5, "", 179.0, 2.0));
    const auto more = groupFrames(frames);
    ASSERT_EQ(more.size(), 2U);
    EXPECT_EQ(more[0].id, groups[0].id);
    EXPECT_EQ(more[1].id, groups[1].id);
}

/// What makes a series makes another id where it differs.
TEST(SeriesIdTest, EveryPropertyOfASeriesCounts) {
    std::set<SeriesId> ids;
    const auto add = [&](const std::function<void(FrameInfo&)>& change) {
        FrameInfo info = light(1, "a", 177.0, 2.0);
        change(info);
        ids.insert(groupFrames(std::vector{info}).front().id);
    };
    add([](FrameInfo&) {});
    add([](FrameInfo& i) { i.camera = "other"; });
    add([](FrameInfo& i) { i.width = 1501; });
    add([](FrameInfo& i) { i.binningX = 2; });
    add([](FrameInfo& i) { i.gainSetting = 100.0; });
    add([](FrameInfo& i) { i.filter = "V"; });
    add([](FrameInfo& i) { i.exposureSeconds = 30.0; });
    add([](FrameInfo& i) { i.object = "b"; });
    add([](FrameInfo& i) { i.pointing = skyDegrees(178.0, 2.0); });
    add([](FrameInfo& i) { i.midExposure = i.midExposure->plusSeconds(86400.0); });
    add([](FrameInfo& i) { i.temperatureCelsius = -10.0; });
    EXPECT_EQ(ids.size(), 11U);
}

} // namespace
} // namespace pathmark::calibrate
