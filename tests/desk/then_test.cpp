#include "desk/evidence/growth_bench.h"
#include "desk/sky/sky_view.h"
#include "desk/then/then_bench.h"
#include "standin/survey_service.h"
#include "tests/support/small_night_window.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include <gtest/gtest.h>

#include <algorithm>
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

    void TearDown() override { unsetenv("XDG_DATA_HOME"); }

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
    auto* then = find<SkyView>("thenView");
    const auto views = window.findChildren<SkyView*>();
    auto* sky = *std::find_if(views.begin(), views.end(), [&](auto* v) { return v != then; });
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
