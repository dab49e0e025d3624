#include "desk/orbit/orbit_bench.h"

#include "core/identify/archive_table.h"
#include "core/night/decisions.h"
#include "desk/bodies/bodies_list.h"
#include "desk/orbit/orbit_plot.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night_window.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableView>
#include <QTest>

#include <gtest/gtest.h>

#include <fstream>

namespace pathmark::desk {
namespace {

class IdentifyBenchTest : public test_support::SmallNightWindowTest {
  protected:
    /// Takes a body in hand with the keys alone.
    void takeInHand(const std::string& name) {
        auto* bodies = find<BodiesList>("bodies");
        for (int i = 0; i < 9 && window.session().currentBody() != night::BodyId::of(name); ++i) {
            press(bodies->inHand() == bodies->shown().back() ? Qt::Key_Up : Qt::Key_Down);
        }
        ASSERT_EQ(window.session().currentBody(), night::BodyId::of(name));
    }

    QString fitText() { return find<QLabel>("orbitFit")->text(); }
};

/// Twelve past observations and six of tonight; one is taken out with the mouse, and comes back with undo.
TEST_F(IdentifyBenchTest, AnObservationTakenOutChangesTheFitAtOnce) {
    open(night());
    takeInHand("(2711043)");
    press(Qt::Key_4);
    ASSERT_TRUE(waitFor([&] { return fitText().contains("18 of 18 places"); }))
        << fitText().toStdString();
    EXPECT_TRUE(fitText().contains("positions agree")) << fitText().toStdString();
    EXPECT_TRUE(find<QLabel>("orbitMatch")->text().contains("6 of 6 frames"));
    auto* plot = find<OrbitPlot>("orbitPlot");
    QTest::mouseClick(plot->findChild<QWidget*>(QString(), Qt::FindDirectChildrenOnly),
                      Qt::LeftButton,
                      {},
                      plot->markOf(0, false).toPoint());
    EXPECT_TRUE(waitFor([&] { return fitText().contains("17 of 18 places"); }))
        << fitText().toStdString();
    // It is kept in the night file, so the next look finds it so.
    window.session().finishStoring();
    const auto file = night::NightFile::open(night() / "results" / "night.pmnight");
    ASSERT_TRUE(file);
    EXPECT_EQ(file->decided().value().observationsOff.size(), 1U);
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return fitText().contains("18 of 18 places"); }));
    // The same by keys alone: comma and full stop choose, O switches.
    press(Qt::Key_Period);
    press(Qt::Key_Period);
    press(Qt::Key_O);
    EXPECT_TRUE(waitFor([&] { return fitText().contains("17 of 18 places"); }));
    press(Qt::Key_O);
    EXPECT_TRUE(waitFor([&] { return fitText().contains("18 of 18 places"); }));
}

TEST_F(IdentifyBenchTest, ACandidateHasACloudAndItsOwnEvidence) {
    open(night());
    takeInHand("c031701");
    EXPECT_TRUE(window.session().currentMeasurements().size() == 6U);
    press(Qt::Key_4);
    ASSERT_TRUE(waitFor([&] { return fitText().contains("6 places"); })) << fitText().toStdString();
    EXPECT_TRUE(find<QLabel>("orbitMatch")->text().contains("Candidate"));
    EXPECT_TRUE(find<QLabel>("orbitElements")->text().contains("Many orbits agree"));
}

/// The bright body alone has enough of tonight's places; without the recipe's observations two are too few for the faint
/// one's stack.
TEST_F(IdentifyBenchTest, WithTooFewObservationsItSaysWhereTheyAreNamed) {
    const auto recipe = night().parent_path() / "alone.toml";
    std::string text = test_support::smallRecipe();
    text.erase(text.find("observations = "),
               std::string("observations = ['past-observations.txt']").size());
    for (const char* part : {"catalog", "orbits/"}) {
        for (auto at = text.find(std::string("'") + part); at != std::string::npos;
             at = text.find(std::string("'") + part, at + 1)) {
            text.insert(at + 1, (night() / "").string());
        }
    }
    std::ofstream(recipe) << text;
    open(night());
    takeInHand("2034 EW2");
    window.session().setRecipe(QString::fromStdString(recipe.string()));
    press(Qt::Key_4);
    EXPECT_TRUE(waitFor([&] { return fitText().contains("[orbits] observations"); }))
        << fitText().toStdString();
}

/// Truth: the rows that were written into the list.
TEST_F(IdentifyBenchTest, AListOfAnArchiveShowsTheFrameOfTheRowChosen) {
    std::vector<identify::ArchiveRow> rows;
    window.session().finishStoring();
    const auto file = night::NightFile::open(night() / "results" / "night.pmnight");
    ASSERT_TRUE(file);
    for (const auto list = file->predictions().value(); const auto& p : list) {
        for (const auto lights = file->lights().value(); const auto& light : lights) {
            if (light.frame == p.frame && !p.candidate) {
                identify::ArchiveRow row;
                row.body = p.body.text();
                row.file = light.calibrated.string();
                row.middle = p.time;
                row.sky = p.sky;
                row.x = p.pixel.x + 1.0;
                row.y = p.pixel.y + 1.0;
                row.rateArcsecPerMin = p.rateArcsecPerMin;
                row.magnitude = p.magnitude;
                row.limitingMagnitude = light.photometry->limitingMag;
                rows.push_back(row);
            }
        }
    }
    ASSERT_EQ(rows.size(), 12U);
    const auto list = night().parent_path() / "archive.csv";
    std::ofstream(list) << identify::toArchiveCsv(rows);
    open(list);
    auto* table = find<QTableView>("archiveRows");
    ASSERT_TRUE(waitFor([&] { return table->isVisible(); }));
    EXPECT_EQ(table->model()->rowCount(), 12);
    EXPECT_FALSE(find<QPushButton>("run")->isEnabled());
    // Only the faint body's rows, by its name.
    press(Qt::Key_F, Qt::ControlModifier);
    auto* filter = find<QLineEdit>("archiveFilter");
    QTest::keyClicks(filter, "ew2");
    EXPECT_EQ(table->model()->rowCount(), 6);
    QTest::mouseClick(table->viewport(),
                      Qt::LeftButton,
                      {},
                      table->visualRect(table->model()->index(4, 1)).center());
    EXPECT_EQ(window.session().currentBody(), night::BodyId::of("2034 EW2"));
    EXPECT_EQ(window.session().currentFrame(), 4);
    auto* sky = find<SkyView>("sky");
    EXPECT_TRUE(waitFor(
        [&] { return sky->picture() != nullptr && sky->picture()->title == "west_002.fits"; }));
    // There is nothing to decide, and nothing is written beside the list.
    press(Qt::Key_X);
    EXPECT_FALSE(std::filesystem::exists(list.parent_path() / "night.pmnight"));
}

} // namespace
} // namespace pathmark::desk
