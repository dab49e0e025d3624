#include "desk/comet/comet_plots.h"
#include "tests/support/small_night_window.h"

#include <QLabel>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

night::CometLook made() {
    night::CometLook look;
    look.slope = 1.05;
    look.extentArcsec = 40.0;
    look.band = catalog::Band::R;
    look.nucleus.magnitude = 13.2;
    look.nucleus.magnitudeError = 0.02;
    look.tail = Angle::degrees(120.0);
    look.geometry = night::CometGeometry{
        1.5, 0.8, Angle::degrees(30.0), Angle::degrees(115.0), Angle::degrees(200.0)};
    look.circles = {{5.0, 15.0, 0.02, 20.1, 110.0, 260.0, 2.0},
                    {10.0, 14.2, 0.01, 21.4, 111.0, 262.0, 1.0}};
    return look;
}

TEST(CometPlotsTest, EachCircleStandsInEachPanel) {
    const auto sets = cometSets(made());
    ASSERT_EQ(sets.size(), 4U);
    EXPECT_EQ(sets[0].panel, 0);
    EXPECT_EQ(sets[1].panel, 1);
    EXPECT_EQ(sets[2].panel, 1);
    EXPECT_NE(sets[1].mark, sets[2].mark) << "not by colour alone";
    EXPECT_EQ(sets[3].panel, 2);
    for (const PlotSet& set : sets) {
        ASSERT_EQ(set.points.size(), 2U);
        EXPECT_EQ(set.points[1].id, 1);
        EXPECT_DOUBLE_EQ(set.points[1].x, 10.0);
    }
    EXPECT_DOUBLE_EQ(sets[1].points[0].error, 2.0);
}

TEST(CometPlotsTest, WordsGiveTheTailAgainstTheSunAndTheCircleInHand) {
    const QString words = cometWords(made(), 1);
    EXPECT_TRUE(words.contains("The tail points to 120°; away from the Sun is 115°"))
        << words.toStdString();
    EXPECT_TRUE(words.contains("14.20 ± 0.01 mag")) << words.toStdString();
    EXPECT_TRUE(words.contains("A(θ)fρ 111.0 ± 1.0 cm, at phase zero 262.0 cm"));
    // Ten arcsec at 0.8 au: 0.8 x 149597870.7 km x 4.848e-5.
    EXPECT_TRUE(words.contains("(5802 km)")) << words.toStdString();
    night::CometLook bare = made();
    bare.geometry.reset();
    bare.tail.reset();
    EXPECT_FALSE(cometWords(bare, -1).contains("km"));
}

TEST(CometPlotsTest, TheColourSaysOfWhatAndOfWhen) {
    const QString words = colourWords({"V", "R", 10.0, 0.412, 0.03, 9.0});
    EXPECT_TRUE(words.contains("Colour within 10.0″: V − R 0.41 ± 0.03, of frames 9.0 min apart."))
        << words.toStdString();
}

class CometBenchTest : public test_support::SmallNightWindowTest {};

/// The small night has no comet: a minor planet's light ends where a star's does, and the page says what it is.
TEST_F(CometBenchTest, ABodyWithoutAComaIsMeasuredOrSaidNotToBe) {
    open(night());
    window.session().setBody(night::BodyId::of("(2711043)"));
    press(Qt::Key_C, Qt::ShiftModifier);
    auto* plot = find<Plot>("cometPlot");
    auto* words = find<QLabel>("cometWords");
    ASSERT_TRUE(waitFor([&] { return !words->text().isEmpty(); }));
    ASSERT_FALSE(plot->sets().empty());
    const auto& within = plot->sets()[0].points;
    ASSERT_GT(within.size(), 4U);
    for (const auto& m : window.session().currentMeasurements()) {
        if (m.frame == window.session().currentLight()->frame && m.magnitude) {
            EXPECT_NEAR(within.back().y, *m.magnitude, 0.25);
        }
    }
    const QString before = words->text();
    press(Qt::Key_Period);
    EXPECT_NE(words->text(), before) << "the next circle is in hand";
    press(Qt::Key_Right);
    EXPECT_TRUE(waitFor([&] { return words->text() != before; }));
}

} // namespace
} // namespace pathmark::desk
