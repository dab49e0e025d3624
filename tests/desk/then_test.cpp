#include "core/detect/detect.h"
#include "core/night/night_file.h"
#include "desk/evidence/growth_bench.h"
#include "desk/sky/sky_view.h"
#include "desk/then/then_bench.h"
#include "standin/survey_service.h"
#include "tests/support/small_night_window.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QImage>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <memory>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

/// A night that was run, and a made-up survey of its stars sixty years before.
class ThenTest : public test_support::SmallNightWindowTest {
  protected:
    void SetUp() override {
        setenv("XDG_DATA_HOME", (folder.path() / "data").c_str(), 1);
        test_support::SmallNightWindowTest::SetUp();
        open(night() / "results" / "night.pmnight");
        standin::SurveyOptions options;
        options.stars = night() / "catalog" / "stars.csv";
        options.order = 8;
        options.faintestG = 19.5;
        survey = std::make_unique<standin::SurveyService>(options);
    }

    /// The window's workers look at the environment until the window is gone.
    static void TearDownTestSuite() {
        unsetenv("XDG_DATA_HOME");
        test_support::SmallNightWindowTest::TearDownTestSuite();
    }

    void lay() {
        press(Qt::Key_V, Qt::ShiftModifier);
        ASSERT_TRUE(find<ThenBench>("thenBench")->isVisible());
        auto* address = find<QLineEdit>("thenAddress");
        QTest::mouseClick(address, Qt::LeftButton);
        QTest::keyClick(address, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(address, QString::fromStdString(survey->address()));
        QTest::mouseClick(find<QPushButton>("thenLay"), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return list()->rowCount() > 0; }, 20000))
            << find<QLabel>("thenWords")->text().toStdString();
    }

    QTableWidget* list() { return find<QTableWidget>("thenList"); }

    SkyView* then() { return find<SkyView>("thenView"); }

    SkyView* sky() {
        const auto views = window.findChildren<SkyView*>();
        return *std::find_if(views.begin(), views.end(), [&](auto* v) { return v != then(); });
    }

    /// With the arrow keys.
    void choose(const char* box, int index) {
        auto* choice = find<QComboBox>(box);
        choice->setFocus();
        while (choice->currentIndex() < index) {
            QTest::keyClick(choice, Qt::Key_Down);
        }
    }

    /// Rows of the list whose first cell says so.
    int rowsOf(const QString& word) {
        int rows = 0;
        for (int row = 0; row < list()->rowCount(); ++row) {
            rows += list()->item(row, 0)->text() == word ? 1 : 0;
        }
        return rows;
    }

    std::unique_ptr<standin::SurveyService> survey;
};

/// Truth: the survey was drawn from the catalogue alone, so what it lacks are the night's bodies.
TEST_F(ThenTest, WhatTheSurveyLacksIsListedSeenAndMeasured) {
    lay();
    EXPECT_EQ(list()->item(0, 0)->text(), "now");
    EXPECT_EQ(list()->item(0, 4)->text(), "(2711043)");
    int others = 0;
    for (int row = 0; row < list()->rowCount(); ++row) {
        others += list()->item(row, 4)->text().isEmpty() ? 1 : 0;
    }
    EXPECT_LE(others, 2) << "the unknown body, and one at most";
    // Both look at the same part of the sky.
    auto* then = this->then();
    auto* sky = this->sky();
    sky->zoomBy(2.0, QPointF(100, 100));
    ASSERT_TRUE(waitFor([&] { return then->look() == sky->look(); }));
    // While the key is held the older picture lies in the Sky.
    const Picture* now = sky->picture();
    window.setFocus();
    QTest::keyPress(&window, Qt::Key_V);
    EXPECT_EQ(sky->picture(), then->picture());
    QTest::keyRelease(&window, Qt::Key_V);
    EXPECT_TRUE(waitFor([&] { return sky->picture() != then->picture(); }));
    EXPECT_NE(now, then->picture());
    // One key takes a light of the list to where it is named and measured.
    list()->setCurrentCell(0, 0);
    QTest::keyClick(&window, Qt::Key_Return);
    EXPECT_TRUE(find<GrowthBench>("growth")->isVisible());
}

/// The mean of a picture within three pixels of a place, over its scatter there where nothing is.
double lightAt(const Picture& picture, const SkyPos& place) {
    const auto pixel = picture.wcs->toPixel(place);
    EXPECT_TRUE(pixel);
    double sum = 0.0;
    for (int dy = -3; dy <= 3; ++dy) {
        for (int dx = -3; dx <= 3; ++dx) {
            sum += static_cast<double>(picture.values.at(static_cast<int>(pixel->x) + dx,
                                                         static_cast<int>(pixel->y) + dy));
        }
    }
    return sum;
}

/// Truth: the survey has the catalogue's stars and no body.
TEST_F(ThenTest, TheDifferenceKeepsTheBodyAndLosesTheStars) {
    lay();
    const Picture* older = then()->picture();
    const night::LightRecord light = *window.session().currentLight();
    press(Qt::Key_D, Qt::ControlModifier);
    ASSERT_TRUE(waitFor([&] { return then()->picture() != older; }))
        << find<QLabel>("thenWords")->text().toStdString();
    const auto* body =
        window.session().night()->predictionOn(light, window.session().night()->bodies.front().id);
    ASSERT_NE(body, nullptr);
    const Picture* rest = then()->picture();
    const auto night = night::NightFile::open(window.session().night()->nightFile);
    ASSERT_TRUE(night);
    const auto sources = night->sources(light);
    ASSERT_TRUE(sources);
    int stars = 0;
    int left = 0;
    for (const auto& source : *sources) {
        const SkyPos place = light.wcs->toSky(source.pixel);
        const double rests = lightAt(*rest, place) / source.flux;
        if (separation(place, body->sky).arcsec() < 2.0) {
            EXPECT_GT(rests, 0.7) << "the survey's stars are broad: some of it lies further out";
        } else if (source.isStar && source.snr > 30.0 && std::isfinite(rests)) {
            ++stars;
            left += std::abs(rests) < 0.15 ? 0 : 1;
        }
    }
    EXPECT_GT(stars, 20);
    EXPECT_LE(left, stars / 20);
    press(Qt::Key_D, Qt::ControlModifier);
    EXPECT_EQ(then()->picture(), older);
}

TEST_F(ThenTest, AMarkMadeInOneStandsInBothAndTheCircleGoesAroundIt) {
    lay();
    const int all = list()->rowCount();
    // Where the body is, in the older picture.
    const auto body = window.session().night()->bodies.front().id;
    const auto* predicted =
        window.session().night()->predictionOn(*window.session().currentLight(), body);
    ASSERT_NE(predicted, nullptr);
    const auto pixel = then()->picture()->wcs->toPixel(predicted->sky);
    QTest::mouseClick(then(), Qt::LeftButton, {}, then()->toWidget(*pixel).toPoint());
    EXPECT_EQ(rowsOf("marked"), 1);
    QTest::mouseClick(sky(), Qt::LeftButton, {}, sky()->rect().center());
    EXPECT_EQ(rowsOf("marked"), 2);
    EXPECT_EQ(list()->rowCount(), all + 2);
    // The last mark is in hand: it goes, and the circle is about the first.
    press(Qt::Key_Delete);
    EXPECT_EQ(rowsOf("marked"), 1);
    choose("thenAround", 2);
    auto* radius = find<QDoubleSpinBox>("thenRadius");
    radius->setFocus();
    radius->selectAll();
    QTest::keyClicks(radius, "0.5");
    QTest::keyClick(radius, Qt::Key_Tab);
    EXPECT_EQ(rowsOf("now"), 1);
    EXPECT_EQ(list()->item(0, 4)->text(),
              predicted->title.empty() ? QString::fromStdString(body.text())
                                       : QString::fromStdString(predicted->title));
    // Both views are kept in one picture.
    window.setFocus();
    press(Qt::Key_P, Qt::ControlModifier);
    const fs::path kept = night() / "results" / "snapshots";
    ASSERT_TRUE(fs::exists(kept));
    const QImage both(QString::fromStdString(fs::directory_iterator(kept)->path().string()));
    EXPECT_GT(both.width(), 2 * (sky()->width() + then()->width()));
    fs::remove_all(kept);
}

/// A night beside itself: the nearest other light of it, and nothing that stays is new.
TEST_F(ThenTest, AnotherNightIsLaidOnThisOne) {
    press(Qt::Key_V, Qt::ShiftModifier);
    choose("thenSource", 3);
    auto* address = find<QLineEdit>("thenAddress");
    address->setFocus();
    QTest::keyClicks(address,
                     QString::fromStdString((night() / "results" / "night.pmnight").string()));
    QTest::mouseClick(find<QPushButton>("thenLay"), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return then()->picture() != nullptr; }))
        << find<QLabel>("thenWords")->text().toStdString();
    EXPECT_NE(then()->picture()->title, sky()->picture()->title);
}

TEST_F(ThenTest, ASurveyThatIsGoneIsSaid) {
    survey.reset();
    press(Qt::Key_V, Qt::ShiftModifier);
    auto* address = find<QLineEdit>("thenAddress");
    QTest::mouseClick(address, Qt::LeftButton);
    QTest::keyClicks(address, "http://127.0.0.1:9/none");
    QTest::mouseClick(find<QPushButton>("thenLay"), Qt::LeftButton);
    auto* words = find<QLabel>("thenWords");
    EXPECT_TRUE(waitFor([&] { return words->text().startsWith("△"); }));
}

} // namespace
} // namespace pathmark::desk
