#include "desk/evidence/growth_bench.h"

#include "core/base/robust.h"
#include "core/night/night_file.h"
#include "desk/bodies/bodies_list.h"
#include "desk/evidence/fit_pictures.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night_window.h"

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

measure::GrowthCurve curveOf(double flux) {
    measure::GrowthCurve curve;
    curve.flux = flux;
    curve.circles = {{2.0, 0.5 * flux, 40.0, 0.5, 20.0}, {4.0, 0.9 * flux, 60.0, 0.9, 25.0}};
    curve.best = 1;
    curve.error = {30.0, 40.0, 0.0, 0.0, 0.0, 0.0, 17.0};
    curve.magnitude = 17.25;
    curve.magnitudeError = 0.021;
    return curve;
}

TEST(GrowthSetsTest, LightIsInPerCentOfAllAndRadiiInArcsec) {
    const auto sets = growthSets(curveOf(2000.0), 1.5);
    ASSERT_EQ(sets.size(), 3U);
    ASSERT_EQ(sets[1].points.size(), 2U);
    EXPECT_DOUBLE_EQ(sets[1].points[0].x, 3.0);
    EXPECT_DOUBLE_EQ(sets[1].points[0].y, 50.0);
    EXPECT_DOUBLE_EQ(sets[1].points[0].error, 2.0);
    EXPECT_EQ(sets[1].points[1].id, 1);
    EXPECT_DOUBLE_EQ(sets[0].points[1].y, 90.0);
    EXPECT_EQ(sets[2].panel, 1);
    EXPECT_NE(sets[0].mark, sets[1].mark) << "not by colour alone";
}

TEST(GrowthSetsTest, WordsSayBothBrightnessesAndWhatDisturbs) {
    night::MeasurementRecord fitted;
    fitted.band = "R";
    fitted.magnitude = 17.31;
    fitted.magnitudeError = 0.016;
    measure::GrowthCurve curve = curveOf(2000.0);
    const QString clean = growthWords(curve, fitted, 1.5);
    EXPECT_TRUE(clean.contains("R 17.25 ± 0.02 mag from the circle of 6.0″"))
        << clean.toStdString();
    EXPECT_TRUE(clean.contains("17.31 ± 0.02 by the fit")) << clean.toStdString();
    EXPECT_TRUE(clean.contains("0.0287 mag, of these: sky 0.0217, its own photons 0.0163, "
                               "scintillation 0.0092."))
        << clean.toStdString();
    EXPECT_FALSE(clean.contains("saturated"));
    curve.isBlended = curve.isSaturated = true;
    EXPECT_TRUE(growthWords(curve, fitted, 1.5).contains("neighbours reaches"));
    EXPECT_TRUE(growthWords(curve, fitted, 1.5).contains("saturated"));
    EXPECT_TRUE(growthWords(curveOf(-5.0), fitted, 1.5).contains("No light"));
    EXPECT_FALSE(clean.contains("goes on growing"));
    curve.isSaturated = false;
    curve.circles.back().flux = 2500.0;
    EXPECT_TRUE(growthWords(curve, fitted, 1.5).contains("goes on growing"));
    fitted.coma.emplace();
    fitted.magnitude = 14.5;
    EXPECT_TRUE(
        growthWords(curve, fitted, 1.5).contains("17.01 mag are within 6.0″; all of it has 14.50"))
        << growthWords(curve, fitted, 1.5).toStdString();
}

/// Truth: two places three arcsec east and four north of each other, ten minutes apart.
TEST(GrowthSetsTest, ADistanceHasItsErrorAndItsRate) {
    night::MeasurementRecord from;
    from.sky = skyDegrees(150.0, 0.0);
    from.time = *parseUtc("2034-03-17T22:00:00");
    from.raErrorArcsec = 0.05;
    from.decErrorArcsec = 0.02;
    night::MeasurementRecord to = from;
    to.sky = offsetBy(from.sky, 3.0, 4.0);
    const QString still = separationWords(from, to);
    EXPECT_TRUE(still.contains("5.000")) << still.toStdString();
    EXPECT_TRUE(still.contains("36.9°")) << still.toStdString();
    // hypot(0.05 x 0.6, 0.02 x 0.8) of either.
    EXPECT_TRUE(still.contains("± 0.048")) << still.toStdString();
    EXPECT_FALSE(still.contains("a minute"));
    to.time = from.time.plusSeconds(600.0);
    EXPECT_TRUE(separationWords(from, to).contains("10.00 min later: 0.5000 ± 0.0048″ a minute"))
        << separationWords(from, to).toStdString();
}

class GrowthBenchTest : public test_support::SmallNightWindowTest {
  protected:
    /// The bright body in hand, with the keys alone.
    void takeInHand() {
        const auto bright = night::BodyId::of("(2711043)");
        auto* bodies = find<BodiesList>("bodies");
        for (int i = 0; i < 9 && window.session().currentBody() != bright; ++i) {
            press(bodies->inHand() == bodies->shown().back() ? Qt::Key_Up : Qt::Key_Down);
        }
        ASSERT_EQ(window.session().currentBody(), bright);
    }

    /// Opens the night and measures by hand where the bright body is predicted.
    void pointAtBody() {
        open(night());
        takeInHand();
        press(Qt::Key_W);
        press(Qt::Key_W, Qt::ShiftModifier);
    }
};

/// W shows it for the body in hand, and it follows from frame to frame.
TEST_F(GrowthBenchTest, FollowsTheMeasurementInHand) {
    open(night());
    takeInHand();
    auto* plot = find<Plot>("growthPlot");
    auto* words = find<QLabel>("growthWords");
    press(Qt::Key_W);
    ASSERT_TRUE(waitFor([&] { return !words->text().isEmpty(); }));
    ASSERT_EQ(plot->sets().size(), 3U);
    const QString first = words->text();
    EXPECT_TRUE(first.contains("mag from the circle of")) << first.toStdString();
    const auto& measured = plot->sets()[1].points;
    EXPECT_NEAR(measured.back().y, plot->sets()[0].points.back().y, 4.0);
    press(Qt::Key_Right);
    EXPECT_TRUE(waitFor([&] { return !words->text().isEmpty() && words->text() != first; }));
}

/// A place held on one frame and a light on another, as if from two sites: the distance is told once the other site is named.
TEST_F(GrowthBenchTest, TwoFramesOfTwoSitesTellADistance) {
    pointAtBody();
    auto* words = find<QLabel>("growthWords");
    ASSERT_TRUE(waitFor([&] { return words->text().startsWith("RA "); }));
    press(Qt::Key_M);
    auto* sites = find<QWidget>("twoSites");
    EXPECT_FALSE(sites->isVisible());
    press(Qt::Key_End);
    ASSERT_TRUE(waitFor([&] { return sites->isVisible(); }));
    auto* site = find<QLineEdit>("otherSite");
    auto* told = find<QLabel>("twoSitesWords");
    const auto type = [&](const QString& text) {
        site->setFocus();
        site->selectAll();
        QTest::keyClicks(site, text);
        QTest::keyClick(site, Qt::Key_Return);
    };
    type("Q99");
    ASSERT_TRUE(waitFor([&] { return told->text().contains("Q99"); }))
        << told->text().toStdString();
    // Only the body's motion lies between the places, and that is taken off: no other site fits, and it is said.
    type("-65.2 -24.6 2400");
    EXPECT_TRUE(waitFor([&] { return !told->text().isEmpty() && !told->text().contains("Q99"); }));
    EXPECT_TRUE(told->text().contains("do not fit") || told->text().contains("do not meet") ||
                told->text().contains("no shift"))
        << told->text().toStdString();
    EXPECT_TRUE(window.session().night()->decided->byHand.empty()) << "Enter was the line's alone";
    // Both frames on one's pixels: the stars of the other lie where this one has them.
    auto* sky = find<SkyView>("sky");
    const auto own = sky->picture();
    const auto timesAsBright = [&](const frame::Image& picture) {
        const double ground = sampledMedian(own->values.pixels(), 1);
        std::vector<double> ratios;
        for (std::size_t i = 0; i < picture.pixels().size(); ++i) {
            const double light = static_cast<double>(own->values.pixels()[i]) - ground;
            if (light > 1500.0 && std::isfinite(picture.pixels()[i])) {
                ratios.push_back(static_cast<double>(picture.pixels()[i]) / light);
            }
        }
        EXPECT_GT(ratios.size(), 50U);
        return medianInPlace(std::span(ratios));
    };
    press(Qt::Key_Y);
    ASSERT_TRUE(waitFor([&] { return sky->picture()->title.contains("on the pixels of"); }));
    const frame::Image other = sky->picture()->values;
    press(Qt::Key_Y);
    ASSERT_TRUE(waitFor([&] { return sky->picture()->title.contains("added"); }));
    const frame::Image added = sky->picture()->values;
    EXPECT_NEAR(timesAsBright(other), 1.0, 0.1);
    EXPECT_NEAR(timesAsBright(added), 2.0, 0.1);
    press(Qt::Key_Y);
    EXPECT_TRUE(waitFor([&] { return sky->picture() == own; }));
    window.session().finishStoring();
}

/// E takes the light for a trail: that of a body which hardly trails is short, and it says so with its error.
TEST_F(GrowthBenchTest, ALightIsTakenForATrail) {
    pointAtBody();
    auto* words = find<QLabel>("growthWords");
    ASSERT_TRUE(waitFor([&] { return words->text().startsWith("RA "); }));
    press(Qt::Key_E);
    press(Qt::Key_E);
    EXPECT_TRUE(waitFor([&] { return words->text().contains("Trail of "); }))
        << words->text().toStdString();
    EXPECT_TRUE(find<QLabel>("growthTitle")->text().startsWith("The trail"));
}

/// While the Sky shows a stack, a place is measured there: the faint body that its run measured on it, with the same light.
TEST_F(GrowthBenchTest, OnTheStackThatIsShown) {
    open(night());
    window.session().setBody(night::BodyId::of("2034 EW2"));
    const auto measurements = window.session().currentMeasurements();
    ASSERT_FALSE(measurements.empty());
    const night::MeasurementRecord& onStack = measurements[0];
    ASSERT_TRUE(onStack.onStack && onStack.magnitude);
    press(Qt::Key_6);
    press(Qt::Key_W);
    press(Qt::Key_S);
    auto* sky = find<SkyView>("sky");
    ASSERT_TRUE(waitFor([&] { return sky->picture()->title.contains("on its motion"); }));
    const auto pixel = sky->picture()->wcs->toPixel(onStack.sky);
    ASSERT_TRUE(pixel);
    QTest::mouseClick(sky, Qt::LeftButton, {}, sky->toWidget(*pixel).toPoint());
    auto* words = find<QLabel>("growthWords");
    ASSERT_TRUE(waitFor([&] { return words->text().startsWith("RA "); }))
        << words->text().toStdString();
    EXPECT_TRUE(find<QLabel>("growthTitle")->text().contains("on the stack"));
    const QString fitted = words->text().section("light; ", 1).section(' ', 0, 0);
    EXPECT_NEAR(fitted.toDouble(), *onStack.magnitude, 0.05) << words->text().toStdString();
    EXPECT_FALSE(find<QPushButton>("growthKeep")->isEnabled());
    press(Qt::Key_Return);
    EXPECT_TRUE(window.session().night()->decided->byHand.empty());
    press(Qt::Key_S);
    EXPECT_TRUE(
        waitFor([&] { return !find<QLabel>("growthTitle")->text().contains("on the stack"); }));
    window.session().finishStoring();
}

/// A click on the Sky measures there: a star is named with its place and light, an empty place with the light that would be seen.
TEST_F(GrowthBenchTest, AClickOnTheSkyMeasuresThere) {
    open(night());
    takeInHand();
    press(Qt::Key_W);
    auto* words = find<QLabel>("growthWords");
    ASSERT_TRUE(waitFor([&] { return words->text().contains("mag from the circle"); }));
    auto* sky = find<SkyView>("sky");
    const auto* light = window.session().currentLight();
    const auto store = catalog::StarStore::open(night() / "catalog", "small");
    ASSERT_TRUE(store);
    const auto stars = store->field(light->skyMiddle(), Angle::arcsec(200.0), light->middle);
    ASSERT_TRUE(stars);
    const auto click = [&](const SkyPos& place) {
        const auto pixel = sky->picture()->wcs->toPixel(place);
        ASSERT_TRUE(pixel);
        QTest::mouseClick(sky, Qt::LeftButton, {}, sky->toWidget(*pixel).toPoint());
    };
    click(stars->front().place);
    ASSERT_TRUE(waitFor([&] {
        return words->text().contains(QString::number(stars->front().sourceId));
    })) << words->text().toStdString();
    EXPECT_TRUE(find<QLabel>("growthTitle")->text().contains("pointed at"));
    // Nearly all its light is within the widest circle: it was not taken off as its own neighbour.
    EXPECT_NEAR(find<Plot>("growthPlot")->sets()[1].points.back().y, 100.0, 5.0);
    const QString onFirst = words->text();
    press(Qt::Key_Right);
    EXPECT_TRUE(waitFor([&] { return words->text() != onFirst; }));
    EXPECT_TRUE(words->text().contains(QString::number(stars->front().sourceId)));
    // Where no star reaches, though one is near enough to be asked for.
    SkyPos empty = light->skyMiddle();
    for (int k = 0; k < 400; ++k) {
        const int column = k % 20 - 10;
        const int row = k / 20 - 10;
        const SkyPos place = offsetBy(light->skyMiddle(), 9.0 * column, 9.0 * row);
        double nearest = 1e9;
        for (const auto& star : *stars) {
            nearest = std::min(nearest, separation(star.place, place).arcsec());
        }
        if (nearest > 10.0 && nearest < 18.0) {
            empty = place;
            break;
        }
    }
    click(empty);
    EXPECT_TRUE(waitFor([&] { return words->text().contains("Nothing stands here"); }))
        << words->text().toStdString();
    EXPECT_TRUE(words->text().contains("mag would"));
    EXPECT_FALSE(words->text().contains("A star of the catalogue"));
}

/// A light is kept under a name with the keys alone, frame by frame; it is among the bodies and in the night file, and undone as a whole.
TEST_F(GrowthBenchTest, ALightIsKeptUnderANameByKeys) {
    open(night());
    takeInHand();
    press(Qt::Key_W);
    auto* words = find<QLabel>("growthWords");
    ASSERT_TRUE(waitFor([&] { return words->text().contains("mag from the circle"); }));
    press(Qt::Key_W, Qt::ShiftModifier); // where the body in hand is predicted
    ASSERT_TRUE(waitFor([&] { return words->text().contains("RA "); }));
    EXPECT_TRUE(find<FitPictures>("fitPictures")->hasFit());
    auto* name = find<QLineEdit>("growthName");
    EXPECT_EQ(name->text(), "(2711043)");
    press(Qt::Key_Return, Qt::ShiftModifier);
    ASSERT_TRUE(waitFor([&] { return name->hasFocus(); }));
    QTest::keyClicks(name, "ours01");
    QTest::keyClick(name, Qt::Key_Return);
    const auto ours = night::BodyId::of("ours01");
    ASSERT_EQ(window.session().night()->measuredOf(ours).size(), 1U);
    const auto first = window.session().currentLight()->frame;
    press(Qt::Key_Right);
    ASSERT_TRUE(waitFor([&] {
        return find<QPushButton>("growthKeep")->isEnabled() &&
               window.session().currentLight()->frame != first;
    }));
    press(Qt::Key_Return);
    ASSERT_TRUE(waitFor([&] { return window.session().night()->measuredOf(ours).size() == 2U; }));
    window.session().finishStoring();
    const auto file = night::NightFile::open(night() / "results" / "night.pmnight");
    ASSERT_TRUE(file);
    const auto stored = file->measurements();
    ASSERT_TRUE(stored);
    int found = 0;
    for (const auto& m : *stored) {
        if (m.body == ours) {
            ++found;
            EXPECT_TRUE(m.candidate) << "the observer's own name";
            EXPECT_FALSE(m.picture.empty());
            // The run measured the body that it is.
            for (const auto& other : *stored) {
                if (other.body == night::BodyId::of("(2711043)") && other.frame == m.frame) {
                    EXPECT_LT(separation(other.sky, m.sky).arcsec(),
                              4.0 * std::hypot(m.raErrorArcsec, m.decErrorArcsec));
                    EXPECT_NEAR(*other.magnitude, *m.magnitude, 0.05);
                }
            }
        }
    }
    EXPECT_EQ(found, 2);
    press(Qt::Key_Z, Qt::ControlModifier);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(window.session().night()->measuredOf(ours).empty());
    window.session().finishStoring();
}

/// What was measured by hand under a body's own name takes the place of what the run measured on that frame.
TEST_F(GrowthBenchTest, ByHandTakesThePlaceOfTheRunsOwn) {
    pointAtBody();
    ASSERT_TRUE(waitFor([&] { return find<QPushButton>("growthKeep")->isEnabled(); }));
    const auto frame = window.session().currentLight()->frame;
    press(Qt::Key_Return);
    int kept = 0;
    int dropped = 0;
    for (const auto& m : window.session().currentMeasurements()) {
        if (m.frame == frame && !m.onStack) {
            kept += m.state == night::MeasurementState::Kept ? 1 : 0;
            dropped += m.state == night::MeasurementState::Dropped ? 1 : 0;
        }
    }
    EXPECT_EQ(kept, 1);
    EXPECT_EQ(dropped, 1);
    press(Qt::Key_Z, Qt::ControlModifier);
    window.session().finishStoring();
}

/// Truth: the catalogue, which the frames were made with.
TEST_F(GrowthBenchTest, AStarPointedAtIsWhereTheCatalogueHasIt) {
    open(night());
    const auto store = catalog::StarStore::open(night() / "catalog", "small");
    ASSERT_TRUE(store);
    const auto& light = *window.session().currentLight();
    const auto stars = store->field(light.skyMiddle(), Angle::arcsec(200.0), light.middle);
    ASSERT_TRUE(stars);
    double squares = 0.0;
    int compared = 0;
    for (const auto& star : *stars) {
        if (star.magG < 13.5 || star.magG > 16.5) {
            continue; // saturated, or too faint to be found from a place beside it
        }
        const auto here = night::measureHere(light, {offsetBy(star.place, 0.7, -0.5)}, &*store);
        ASSERT_TRUE(here);
        if (!here->record.seen || !here->record.reason.empty()) {
            continue; // another star touches it
        }
        const PlanePos off = toTangentPlane(star.place, here->record.sky);
        const double ra = Angle::radians(off.xi).arcsec() / here->record.raErrorArcsec;
        const double dec = Angle::radians(off.eta).arcsec() / here->record.decErrorArcsec;
        EXPECT_LT(std::hypot(ra, dec), 5.0) << star.sourceId;
        EXPECT_EQ(here->star ? here->star->sourceId : 0, star.sourceId);
        squares += ra * ra + dec * dec;
        ++compared;
    }
    ASSERT_GE(compared, 10);
    EXPECT_LT(std::sqrt(squares / (2.0 * compared)), 1.4);
}

/// Two ways to the same brightness: a fit of the profile, and a circle made up to all of a point's light.
TEST_F(GrowthBenchTest, TheCircleAgreesWithTheFit) {
    open(night());
    takeInHand();
    const auto* night = window.session().night();
    int compared = 0;
    for (const auto& m : window.session().currentMeasurements()) {
        const auto& light = night->lights[static_cast<std::size_t>(night->placeOf(m.frame))];
        const auto growth = night::growthOf(m, light, nullptr);
        ASSERT_TRUE(growth) << growth.error().detail;
        ASSERT_TRUE(growth->curve.magnitude && m.magnitude);
        EXPECT_NEAR(*growth->curve.magnitude, *m.magnitude, 0.03);
        ++compared;
    }
    EXPECT_EQ(compared, 6);
}

} // namespace
} // namespace pathmark::desk
