#include "desk/bodies/bodies_list.h"

#include "desk/route/route_bar.h"
#include "desk/sky/sky_marks.h"

#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

NightSnapshot night() {
    NightSnapshot snapshot;
    for (const auto& [name, stack] :
         {std::pair{"bright", 200.0}, {"faint", 8.0}, {"hopeless", 0.5}, {"lost", 0.1}}) {
        BodyView body;
        body.id = orbit::BodyId::of(name);
        body.name = name;
        body.frameSnr = stack / 3.0;
        body.stackSnr = stack;
        snapshot.bodies.push_back(body);
    }
    return snapshot;
}

class BodiesListTest : public testing::Test {
  protected:
    BodiesListTest() : snapshot(night()) {
        list.resize(200, 400);
        list.setNight(&snapshot);
        list.show();
    }

    void click(int row) {
        QTest::mouseClick(list.viewport(),
                          Qt::LeftButton,
                          {},
                          list.visualRect(list.model()->index(row, 0)).center());
    }

    NightSnapshot snapshot;
    BodiesList list;
};

TEST_F(BodiesListTest, BeyondReachFoldsIntoOneLineUntilAskedFor) {
    EXPECT_EQ(
        list.shown(),
        (std::vector<orbit::BodyId>{orbit::BodyId::of("bright"), orbit::BodyId::of("faint")}));
    EXPECT_EQ(list.model()->rowCount(), 3);
    click(2);
    EXPECT_EQ(list.shown().size(), 4U);
}

TEST_F(BodiesListTest, AClickTakesABodyInHand) {
    QSignalSpy chosen(&list, &BodiesList::chosen);
    click(1);
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(list.inHand(), orbit::BodyId::of("faint"));
    list.step(-1);
    EXPECT_EQ(list.inHand(), orbit::BodyId::of("bright"));
    list.step(-5);
    EXPECT_EQ(list.inHand(), orbit::BodyId::of("bright"));
}

TEST(RouteBarTest, EveryMarkCanBeEntered) {
    RouteBar route;
    route.resize(900, 46);
    route.show();
    QSignalSpy chosen(&route, &RouteBar::stageChosen);
    for (int i = 0; i < kStageCount; ++i) {
        QTest::mouseClick(
            &route, Qt::LeftButton, {}, route.markPoint(static_cast<Stage>(i)).toPoint());
        ASSERT_EQ(chosen.count(), i + 1);
        EXPECT_EQ(chosen.last().at(0).value<Stage>(), static_cast<Stage>(i));
    }
}

TEST(StageStatesTest, SayHowFarANightHasCome) {
    NightSnapshot snapshot;
    EXPECT_EQ(stageStates(&snapshot)[0], StageState::Empty);
    snapshot.frames.edit().resize(3);
    night::LightRecord light;
    light.raw = "/n/a.fits";
    light.calibrated = "/n/a.fits";
    snapshot.lights = std::vector{light, light};
    EXPECT_EQ(stageStates(&snapshot)[0], StageState::Done);
    EXPECT_EQ(stageStates(&snapshot)[1], StageState::Empty);
    snapshot.lights.edit()[0].calibrated = "/o/a.fits";
    EXPECT_EQ(stageStates(&snapshot)[1], StageState::NeedsReview);
    snapshot.lights.edit()[1].calibrated = "/o/b.fits";
    EXPECT_EQ(stageStates(&snapshot)[1], StageState::Done);
    night::MeasurementRecord m;
    m.seen = true;
    m.state = night::MeasurementState::Parked;
    snapshot.measurements.push_back(m);
    EXPECT_EQ(stageStates(&snapshot)[5], StageState::NeedsReview);
    EXPECT_EQ(stageStates(&snapshot)[6], StageState::Empty);
    m.state = night::MeasurementState::Kept;
    snapshot.measurements.replace(0, m);
    EXPECT_EQ(stageStates(&snapshot)[5], StageState::Done);
    EXPECT_EQ(stageStates(&snapshot)[6], StageState::Done);
}

TEST(PathMarksTest, HoldTheSeriesOnScreenAndTheFrameInHand) {
    NightSnapshot snapshot = night();
    for (int i = 0; i < 4; ++i) {
        night::LightRecord light;
        light.raw = "/n/" + std::to_string(i) + ".fits";
        light.frame = night::FrameId(std::to_string(i));
        light.series = night::SeriesId(i < 3 ? "one" : "two");
        snapshot.lights.edit().push_back(light);
        for (const char* body : {"bright", "hopeless"}) {
            night::PredictionRecord p;
            p.body = orbit::BodyId::of(body);
            p.frame = light.frame;
            p.sky = skyDegrees(10.0, 10.0 + 0.001 * i);
            snapshot.predictions.edit().push_back(p);
        }
    }
    const auto bodies = snapshot.bodies;
    indexNight(snapshot);
    snapshot.bodies = bodies;
    const auto marks = pathMarks(
        snapshot, night::SeriesId("one"), night::FrameId("1"), orbit::BodyId::of("bright"));
    ASSERT_EQ(marks.size(), 1U);
    EXPECT_EQ(marks[0].predicted.size(), 3U);
    EXPECT_EQ(marks[0].currentTick, 1);
    EXPECT_TRUE(marks[0].inHand);
    // What is beyond reach is drawn when it is asked for by hand.
    EXPECT_EQ(
        pathMarks(
            snapshot, night::SeriesId("one"), night::FrameId("1"), orbit::BodyId::of("hopeless"))
            .size(),
        2U);
}

/// Truth: an ellipse of 20" by 5" along position angle 90: towards east.
TEST(PathMarksTest, AnUncertainPlaceHasAnOutlineOfNinetyFivePerCent) {
    NightSnapshot snapshot = night();
    night::LightRecord light;
    light.raw = "/n/0.fits";
    light.frame = night::FrameId("0");
    light.series = night::SeriesId("one");
    snapshot.lights.edit().push_back(light);
    night::PredictionRecord p;
    p.body = orbit::BodyId::of("bright");
    p.frame = light.frame;
    p.sky = skyDegrees(10.0, 10.0);
    p.sigmaMajorArcsec = 20.0;
    p.sigmaMinorArcsec = 5.0;
    p.sigmaAngleDegrees = 90.0;
    snapshot.predictions.edit().push_back(p);
    const auto bodies = snapshot.bodies;
    indexNight(snapshot);
    snapshot.bodies = bodies;
    const auto marks =
        pathMarks(snapshot, night::SeriesId("one"), light.frame, orbit::BodyId::of("bright"));
    ASSERT_EQ(marks.size(), 1U);
    ASSERT_GT(marks[0].uncertainty.size(), 20U);
    double widest = 0.0;
    double highest = 0.0;
    for (const auto& corner : marks[0].uncertainty) {
        const double east = (corner.longitude - p.sky.longitude).arcsec();
        widest = std::max(widest, std::abs(east) * std::cos(p.sky.latitude.radians()));
        highest = std::max(highest, std::abs((corner.latitude - p.sky.latitude).arcsec()));
    }
    EXPECT_NEAR(widest, 2.448 * 20.0, 0.1);
    EXPECT_NEAR(highest, 2.448 * 5.0, 0.1);
}

TEST(BodyViewTest, CandidatesAreInReachAndWhatIsNotSeenIsNews) {
    BodyView body;
    EXPECT_FALSE(body.inReach());
    body.candidate = true;
    EXPECT_TRUE(body.inReach());
    body.candidate = false;
    body.shown = 12;
    body.found = 2;
    EXPECT_TRUE(body.isMissing());
    body.found = 8;
    EXPECT_FALSE(body.isMissing());
    body.shown = 2; // too few frames to be sure
    body.found = 0;
    EXPECT_FALSE(body.isMissing());
}

} // namespace
} // namespace pathmark::desk
