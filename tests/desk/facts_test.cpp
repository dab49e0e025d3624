#include "desk/facts/earth_map.h"
#include "desk/facts/facts_bench.h"
#include "standin/file_service.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>

#include <gtest/gtest.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <memory>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

std::string textOf(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(stream), {}};
}

/// A bare folder of frames, an observer of whom nothing is known yet, and the stand-in as the only service.
class FactsTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        for (const char* variable : {"XDG_DATA_HOME", "XDG_CONFIG_HOME"}) {
            const char* before = std::getenv(variable);
            before_.emplace_back(variable, before != nullptr ? before : "");
        }
        setenv("XDG_DATA_HOME", (folder.path() / "data").c_str(), 1);
        setenv("XDG_CONFIG_HOME", (folder.path() / "settings").c_str(), 1);
        fs::create_directories(settings());
        serve("");
        QSettings().remove("run");
        test_support::makeTinyNight(folder.path() / "made");
        makeBare("night");
        showWindow();
    }

    void TearDown() override {
        QSettings().remove("run");
        for (const auto& [variable, value] : before_) {
            value.empty() ? unsetenv(variable.c_str()) : setenv(variable.c_str(), value.c_str(), 1);
        }
    }

    [[nodiscard]] fs::path settings() const { return folder.path() / "settings" / "pathmark"; }

    /// Addresses of a services.toml that names no service but these.
    void serve(const std::string& addresses) const {
        std::ofstream file(settings() / "services.toml");
        for (const char* what :
             {"orbits", "comets", "sites", "earth-orientation", "leap-seconds", "field"}) {
            if (addresses.find(std::string(what) + " =") == std::string::npos) {
                file << what << " = ''\n";
            }
        }
        file << addresses;
    }

    void makeBare(const char* name) const {
        fs::create_directories(folder.path() / name);
        for (const char* part : {"lights", "calibration"}) {
            fs::copy(folder.path() / "made" / part,
                     folder.path() / name / part,
                     fs::copy_options::recursive);
        }
    }

    void open(const char* name) {
        const fs::path path = folder.path() / name;
        window.openNight(QString::fromStdString(path.string()));
        ASSERT_TRUE(
            waitFor([&] { return session.night() != nullptr && session.night()->folder == path; }));
    }

    FactsBench* bench() { return find<FactsBench>("factsBench"); }

    QLineEdit* line(const char* name) {
        auto* found = bench()->findChild<QLineEdit*>(name);
        EXPECT_NE(found, nullptr) << name;
        return found;
    }

    /// Typed into a line and ended by Return.
    void tell(const char* name, const char* text) {
        QLineEdit* field = line(name);
        bench()->ensureWidgetVisible(field);
        QTest::mouseClick(field, Qt::LeftButton);
        QTest::keyClick(field, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    }

    void runToItsEnd() {
        ASSERT_TRUE(waitFor([&] { return session.isRunning(); }));
        ASSERT_TRUE(
            waitFor([&] { return !session.isRunning() && !session.night()->made->empty(); }));
    }

    [[nodiscard]] fs::path result(const char* night, const char* name) const {
        return folder.path() / night / "results" / name;
    }

    NightSession& session = window.session();
    std::vector<std::pair<std::string, std::string>> before_;
};

/// By mouse and keyboard, from frames alone to the report: two things are asked, none the second time; stars and orbits come from the
/// stand-in over HTTP. Truth of the counts: what the headers of the simulated night leave out.
TEST_F(FactsTest, FromABareFolderToTheReport) {
    standin::ServiceOptions stars;
    stars.stars = folder.path() / "made" / "catalog" / "stars.csv";
    const standin::CatalogService catalog(stars);
    const standin::FileService files({folder.path() / "made" / "orbits", 0, standin::Fault::None});
    serve("field = '" + catalog.address() + "/tap'\norbits = '" + files.address() +
          "/minor-planets.txt'\n");
    open("night");
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(bench()->isVisible());
    EXPECT_FALSE(session.isRunning());
    EXPECT_TRUE(find<QLabel>("factsHead")->text().startsWith("2 things"))
        << find<QLabel>("factsHead")->text().toStdString();
    // What cannot be is said in its line.
    tell("fact-site", "12 99");
    EXPECT_EQ(session.knownFacts().facts()->choices().site.has_value(), false);
    tell("fact-site", "XXX 23.4127 -31.2086 1374");
    tell("fact-observer", "I. Vellamo");
    EXPECT_FALSE(session.knownFacts().facts()->isAsking());
    QTest::mouseClick(find<QPushButton>("runFacts"), Qt::LeftButton);
    runToItsEnd();
    EXPECT_GT(session.night()->measurements.size(), 0U);
    EXPECT_NE(textOf(result("night", "report.psv")).find("I. Vellamo"), std::string::npos);
    EXPECT_GT(catalog.requests(), 0);
    // Another night of the same observer and camera.
    makeBare("next");
    open("next");
    const int asked = catalog.requests();
    press(Qt::Key_R, Qt::ControlModifier);
    runToItsEnd();
    EXPECT_EQ(textOf(result("next", "report.psv")), textOf(result("night", "report.psv")));
    EXPECT_EQ(catalog.requests(), asked) << "the stars of the field are here";
}

/// Nothing is known and nobody answers: the frames are calibrated, laid on each other and searched; what is missing is said.
TEST_F(FactsTest, WithoutAnythingARunGoesAsFarAsItCan) {
    open("night");
    press(Qt::Key_R, Qt::ControlModifier);
    ASSERT_TRUE(bench()->isVisible());
    press(Qt::Key_R, Qt::ControlModifier); // goes on without
    ASSERT_TRUE(waitFor([&] { return session.isRunning(); }));
    ASSERT_TRUE(waitFor([&] { return !session.isRunning(); }));
    ASSERT_TRUE(waitFor(
        [&] { return !session.night()->lights.empty() && session.night()->lights[0].solved(); }));
    EXPECT_TRUE(session.night()->lights[0].isRelative());
    EXPECT_FALSE(fs::exists(result("night", "report.psv")));
    EXPECT_NE(textOf(result("night", "recipe.toml")).find("own_stars"), std::string::npos);
}

TEST_F(FactsTest, ASiteIsPointedAtOnTheMap) {
    open("night");
    press(Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
    ASSERT_TRUE(bench()->isVisible());
    QTest::mouseClick(find<QPushButton>("siteMap"), Qt::LeftButton);
    auto* map = find<EarthMap>("earthMap");
    ASSERT_TRUE(map->isVisible());
    QTest::mouseClick(map, Qt::LeftButton, {}, map->pointOf({23.0, -31.0}).toPoint());
    const auto site = session.knownFacts().facts()->choices().site;
    ASSERT_TRUE(site);
    EXPECT_NEAR(site->longitude.degrees(), 23.0, 1.0);
    EXPECT_NEAR(site->latitude.degrees(), -31.0, 1.0);
    QTest::keyClick(map, Qt::Key_Right);
    EXPECT_GT(session.knownFacts().facts()->choices().site->longitude.degrees(),
              site->longitude.degrees());
}

} // namespace
} // namespace pathmark::desk
