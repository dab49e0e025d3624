#include "desk/orbit/orbit_plot.h"
#include "desk/orbit/orbit_table.h"
#include "desk/orbit/orbit_words.h"

#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

/// Three nights of two observations; the last night is tonight, one was left out by the fit and one switched off.
std::shared_ptr<night::BodyOrbit> someOrbit() {
    auto orbit = std::make_shared<night::BodyOrbit>();
    const Utc start = *parseUtc("2034-03-08T20:00:00");
    orbit->judgement.fit.emplace();
    for (std::size_t i = 0; i < 6; ++i) {
        orbit::Sighting s;
        const std::size_t night = i / 2;
        s.observer.utc = start.plusSeconds(static_cast<double>(night) * 4.0 * 86400.0 +
                                           1800.0 * static_cast<double>(i % 2));
        s.sigmaXi = s.sigmaEta = 0.3 * kRadiansPerArcsec;
        s.source = i;
        orbit->judgement.sightings.push_back(s);
        orbit::Observation o;
        o.station = "Z99";
        orbit->what.given.observations.push_back(o);
        orbit->what.given.switchedOff.push_back(i == 3);
        orbit->judgement.residuals.push_back(
            {i == 1 ? 6.0 : 0.1, i == 1 ? -4.0 : -0.2, 0.2, i != 1 && i != 3});
    }
    orbit->what.given.old = 4;
    return orbit;
}

TEST(ObservationPartTest, SaysWhatBecameOfEach) {
    const auto orbit = someOrbit();
    EXPECT_EQ(partOf(*orbit, 0), ObservationPart::Used);
    EXPECT_EQ(partOf(*orbit, 1), ObservationPart::LeftOut);
    EXPECT_EQ(partOf(*orbit, 3), ObservationPart::SwitchedOff);
    EXPECT_EQ(partOf(*orbit, 4), ObservationPart::Tonight);
}

class OrbitPlotTest : public testing::Test {
  protected:
    OrbitPlotTest() : orbit(someOrbit()) {
        plot.resize(460, 220);
        plot.setOrbit(orbit);
        plot.show();
    }

    /// The widget that the mouse works on.
    QWidget* canvas() { return plot.findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly); }

    std::shared_ptr<night::BodyOrbit> orbit;
    OrbitPlot plot;
};

TEST_F(OrbitPlotTest, AClickPicksAnObservation) {
    QSignalSpy toggled(&plot, &Plot::picked);
    QTest::mouseClick(canvas(), Qt::LeftButton, {}, plot.markOf(4, true).toPoint());
    ASSERT_EQ(toggled.count(), 1);
    EXPECT_EQ(toggled[0][0].toInt(), 4);
    QTest::mouseClick(canvas(), Qt::LeftButton, {}, plot.markOf(1, false).toPoint());
    ASSERT_EQ(toggled.count(), 2);
    EXPECT_EQ(toggled[1][0].toInt(), 1);
    QTest::mouseClick(canvas(), Qt::LeftButton, {}, QPoint(230, 108));
    EXPECT_EQ(toggled.count(), 2) << "between the marks there is nothing to toggle";
}

TEST_F(OrbitPlotTest, NightsStandSideBySideInOrder) {
    for (int i = 1; i < 6; ++i) {
        EXPECT_GT(plot.markOf(i, false).x(), plot.markOf(i - 1, false).x());
    }
    // Half an hour is drawn wider than the four days between: those are folded.
    EXPECT_GT(plot.markOf(1, false).x() - plot.markOf(0, false).x(),
              plot.markOf(2, false).x() - plot.markOf(1, false).x());
    // Positive residuals are above the middle line, negative ones below.
    EXPECT_LT(plot.markOf(1, false).y(), plot.markOf(0, false).y());
    EXPECT_GT(plot.markOf(1, true).y(), plot.markOf(0, true).y());
}

/// One observation 60" off must not press the others, of 0.1", into a line.
TEST_F(OrbitPlotTest, FarOutliersDoNotSetTheScale) {
    auto wild = someOrbit();
    wild->judgement.residuals[1].xiArcsec = 60.0;
    plot.setOrbit(wild);
    QTest::qWait(50);
    EXPECT_LT(plot.verticalRange(0).second, 4.0);
    const QRectF seen(plot.rect());
    for (const int i : {0, 2, 3, 4, 5}) {
        EXPECT_TRUE(seen.contains(plot.markOf(i, false)));
        EXPECT_TRUE(seen.contains(plot.markOf(i, true)));
    }
    EXPECT_FALSE(seen.contains(plot.markOf(1, false)));
}

TEST(OrbitTableTest, HasARowForEachWithItsPart) {
    OrbitTable table;
    table.setOrbit(someOrbit());
    ASSERT_EQ(table.rowCount(), 6);
    const auto cell = [&](int row, int column) {
        return table.data(table.index(row, column), Qt::DisplayRole).toString();
    };
    EXPECT_EQ(cell(1, OrbitTable::Part), "× left out");
    EXPECT_EQ(cell(3, OrbitTable::Part), "○ off");
    EXPECT_EQ(cell(5, OrbitTable::Part), "in, tonight");
    EXPECT_EQ(cell(1, OrbitTable::RaOff), "+6.00");
    EXPECT_EQ(cell(1, OrbitTable::DecOff), "−4.00");
    EXPECT_EQ(cell(0, OrbitTable::Sigma), "0.30");
    EXPECT_EQ(cell(2, OrbitTable::Time), "2034-03-12 20:00:00");
    table.setOrbit(nullptr);
    EXPECT_EQ(table.rowCount(), 0);
}

TEST(OrbitWordsTest, TonightThatDisagreesIsSaidToDisagree) {
    const auto orbit = someOrbit();
    orbit->tonight = orbit::TonightSummary{2, 0.1, 0.2, 0.1, 0.2, 0.1, 0.1};
    EXPECT_TRUE(fitWords(*orbit).contains("positions agree"));
    orbit->tonight->decMean = 4.0;
    EXPECT_TRUE(fitWords(*orbit).contains("positions disagree"));
    // The same offset is no disagreement where the other nights leave the place open.
    orbit->tonight->orbitDecArcsec = 5.0;
    EXPECT_TRUE(fitWords(*orbit).contains("positions agree"));
}

TEST(ProblemWordsTest, NameTheFirstLineThatCouldNotBeRead) {
    EXPECT_EQ(problemWords({}), "");
    const Error bad{ErrorId::OrbitBadLine, "line 7, column 33: no hours.", "past.txt"};
    EXPECT_TRUE(problemWords({bad}).contains("past.txt: line 7"));
    EXPECT_TRUE(problemWords({bad, bad}).contains("2 lines"));
}

TEST(MatchWordsTest, ABodyThatShouldBeSeenAndIsNotIsNews) {
    NightSnapshot night;
    for (int i = 0; i < 4; ++i) {
        night::PredictionRecord p;
        p.body = orbit::BodyId::of("2031 AB1");
        p.snr = 12.0;
        if (i == 0) {
            p.match = night::PredictionRecord::Match{};
        }
        night.predictions.edit().push_back(p);
        p.body = orbit::BodyId::of("2031 AC1");
        p.snr = 1.0;
        p.match.reset();
        night.predictions.edit().push_back(p);
    }
    EXPECT_TRUE(matchWords(night, orbit::BodyId::of("2031 AB1")).contains("1 of 4 frames"));
    EXPECT_TRUE(matchWords(night, orbit::BodyId::of("2031 AB1")).contains("It should be seen"));
    EXPECT_TRUE(matchWords(night, orbit::BodyId::of("2031 AC1")).contains("too faint"));
    EXPECT_EQ(matchWords(night, orbit::BodyId::of("nobody")), "");
    night::TrackRecord track;
    track.name = "c031701";
    track.members.resize(5);
    track.framesLooked = 6;
    track.resembles = "2031 AB1";
    track.resemblesArcsec = 40.0;
    night.tracks.edit().push_back(track);
    EXPECT_TRUE(matchWords(night, orbit::BodyId::of("c031701")).contains("5 of 6 frames"));
    EXPECT_TRUE(
        matchWords(night, orbit::BodyId::of("c031701")).contains("moves like 2031 AB1, 40″"));
}

} // namespace
} // namespace pathmark::desk
