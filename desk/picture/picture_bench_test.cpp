#include "core/night/run_night.h"
#include "desk/picture/histogram_view.h"
#include "desk/picture/picture_session.h"
#include "desk/plot/plot.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QCheckBox>
#include <QComboBox>
#include <QImage>
#include <QLabel>
#include <QPushButton>
#include <QSlider>

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

constexpr const char* kShown = "C/2034 E4";

simulate::Scenario threeFilters() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.series.resize(1);
    s.series.front().count = 4;
    for (const char* filter : {"V", "B"}) {
        simulate::SeriesScenario series = s.series.front();
        series.name = filter;
        series.filter = filter;
        series.band = filter[0] == 'V' ? "V" : "G";
        series.start = s.series.back().start.plusSeconds(300.0);
        s.series.push_back(series);
    }
    s.bodies = {test_support::smallComet(14.5)};
    return s;
}

class PictureBenchTest : public test_support::WindowTest {
  protected:
    // A run of its joined picture takes long: it is made once, and each test has a copy to change.
    static void SetUpTestSuite() {
        made_ = new test_support::TemporaryFolder;
        const auto night = made_->path() / "night";
        test_support::makeNight(night, threeFilters());
        const auto run =
            night::runNight({night, night / "recipe.toml", night / "results", {}}, Job{});
        ASSERT_TRUE(run) << run.error().detail;
        for (const Error& error : run->failures) {
            ADD_FAILURE() << error.subject << ": " << error.detail;
        }
    }

    static void TearDownTestSuite() {
        delete made_;
        made_ = nullptr;
    }

    void SetUp() override {
        std::filesystem::copy(
            made_->path() / "night", night(), std::filesystem::copy_options::recursive);
        showWindow();
        window.openNight(QString::fromStdString(night().string()));
        ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
        ASSERT_EQ(window.session().night()->pictures.size(), 1U);
    }

    [[nodiscard]] std::filesystem::path night() const { return folder.path() / "night"; }

    void showPicture() {
        press(Qt::Key_J, Qt::ShiftModifier);
        ASSERT_TRUE(waitFor([&] { return find<QLabel>("pictureTitle")->text() == kShown; }));
        ASSERT_TRUE(waitFor([&] { return shown() != nullptr && !shown()->hasMarks; }));
    }

    const Picture* shown() { return find<SkyView>("sky")->picture(); }

  private:
    inline static test_support::TemporaryFolder* made_ = nullptr;
};

/// The picture is on the Sky at once; a mark drawn along changes it, and what it rests at is kept, undone and redone.
TEST_F(PictureBenchTest, WhatAHandRestsAtIsKeptWithTheNight) {
    showPicture();
    const Picture before = *shown();
    EXPECT_GT(find<QLabel>("pictureWords")->text().size(), 20);
    auto* view = find<HistogramView>("histogram");
    const QPoint white = view->placeOf(HistogramView::Mark::White).toPoint();
    QTest::mousePress(view, Qt::LeftButton, {}, white);
    QTest::mouseMove(view, white - QPoint(80, 0));
    EXPECT_NE(shown()->display.cacheKey(), before.display.cacheKey()) << "the Sky follows the hand";
    EXPECT_TRUE(window.session().night()->decided->looks.empty());
    QTest::mouseRelease(view, Qt::LeftButton, {}, white - QPoint(80, 0));
    const auto& looks = window.session().night()->decided->looks;
    ASSERT_EQ(looks.size(), 1U);
    EXPECT_TRUE(looks.begin()->second.white);
    ASSERT_TRUE(waitFor([&] { return shown()->display.size() == before.display.size(); }));
    // Less light is white now: the picture is brighter.
    const auto brightness = [](const Picture& picture) {
        double sum = 0.0;
        for (int y = 0; y < picture.display.height(); y += 3) {
            for (int x = 0; x < picture.display.width(); x += 3) {
                sum += qGray(picture.display.pixel(x, y));
            }
        }
        return sum;
    };
    ASSERT_TRUE(waitFor([&] { return brightness(*shown()) > 1.02 * brightness(before); }));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return window.session().night()->decided->looks.empty(); }));
    EXPECT_TRUE(waitFor([&] {
        return shown()->display.size() == before.display.size() &&
               std::abs(brightness(*shown()) / brightness(before) - 1.0) < 1e-3;
    }));
    window.session().finishStoring();
}

TEST_F(PictureBenchTest, ColoursGoAndTheFrameComesBackWhenThePageIsLeft) {
    showPicture();
    auto* colour = find<QSlider>("pictureColour");
    ASSERT_TRUE(colour->isVisible());
    const auto colourfulness = [&] {
        double most = 0.0;
        const QImage& image = shown()->display;
        for (int y = 0; y < image.height(); y += 2) {
            for (int x = 0; x < image.width(); x += 2) {
                const QRgb p = image.pixel(x, y);
                most = std::max<double>(most, std::abs(qRed(p) - qBlue(p)));
            }
        }
        return most;
    };
    EXPECT_GT(colourfulness(), 20.0);
    colour->setFocus();
    QTest::keyClick(colour, Qt::Key_Home);
    EXPECT_TRUE(waitFor([&] { return colourfulness() < 3.0; }));
    EXPECT_EQ(window.session().night()->decided->looks.begin()->second.saturation, 0.0);
    press(Qt::Key_G);
    EXPECT_TRUE(waitFor([&] { return colourfulness() > 20.0; }));
    EXPECT_TRUE(window.session().night()->decided->looks.empty());
    press(Qt::Key_6);
    EXPECT_TRUE(waitFor([&] { return shown()->hasMarks; }));
    window.session().finishStoring();
}

/// Ctrl+P keeps what is on the Sky, each time under a name of its own, in the results.
TEST_F(PictureBenchTest, ASnapshotIsOneKey) {
    showPicture();
    press(Qt::Key_P, Qt::ControlModifier);
    press(Qt::Key_P, Qt::ControlModifier);
    int found = 0;
    for (const auto& entry :
         std::filesystem::directory_iterator(night() / "results" / "snapshots")) {
        QImage image;
        ASSERT_TRUE(image.load(QString::fromStdString(entry.path().string())));
        EXPECT_GT(image.width(), 1000);
        int brightest = 0;
        for (int y = 100; y < image.height() - 100; ++y) {
            for (int x = 0; x < image.width(); ++x) {
                brightest = std::max(brightest, qGray(image.pixel(x, y)));
            }
        }
        EXPECT_GT(brightest, 100) << "the picture is in it";
        ++found;
    }
    EXPECT_EQ(found, 2);
    window.session().finishStoring();
}

/// Truth: what Qt's own reader finds in the file.
TEST_F(PictureBenchTest, WhatIsWrittenIsWhatIsShown) {
    showPicture();
    ASSERT_TRUE(waitFor([&] { return !shown()->reduced.empty(); }));
    auto* session = window.findChild<PictureSession*>();
    ASSERT_NE(session, nullptr);
    const QString path = QString::fromStdString((folder.path() / "shown.png").string());
    session->write(path);
    QImage read;
    ASSERT_TRUE(waitFor([&] { return read.load(path); }));
    const QImage& own = shown()->display;
    ASSERT_EQ(read.size(), own.size());
    int worst = 0;
    for (int y = 0; y < own.height(); y += 5) {
        for (int x = 0; x < own.width(); x += 5) {
            worst = std::max(worst, std::abs(qGreen(read.pixel(x, y)) - qGreen(own.pixel(x, y))));
        }
    }
    EXPECT_LE(worst, 1);
    session->write("nothing.doc");
    window.session().finishStoring();
}

/// Over the page lies the sky that was taken off, and a circle that is drawn on it is kept for the next run.
TEST_F(PictureBenchTest, SkyIsSeenAndDrawnOn) {
    showPicture();
    ASSERT_TRUE(waitFor([&] { return shown()->display.width() > 300; }));
    press(Qt::Key_G, Qt::ShiftModifier);
    ASSERT_TRUE(waitFor([&] { return shown()->display.width() < 60; })) << "in cells";
    auto* light = find<QPushButton>("pictureLight");
    QTest::mouseClick(light, Qt::LeftButton);
    ASSERT_TRUE(light->isChecked());
    auto* sky = find<SkyView>("sky");
    const QPoint middle = sky->toWidget({4.0, 5.0}).toPoint();
    QTest::mousePress(sky, Qt::LeftButton, {}, middle);
    QTest::mouseMove(sky, middle + QPoint(20, 0));
    QTest::mouseRelease(sky, Qt::LeftButton, {}, middle + QPoint(20, 0));
    const auto& makings = window.session().night()->decided->makings;
    ASSERT_EQ(makings.size(), 1U);
    ASSERT_EQ(makings.begin()->second.strokes.size(), 1U);
    EXPECT_TRUE(makings.begin()->second.strokes.front().isLight);
    EXPECT_GT(makings.begin()->second.strokes.front().radius, 0.0);
    EXPECT_TRUE(window.session().night()->decided->protectedDiscs.empty())
        << "no coma of a frame is marked";
    // What is drawn is shaded at once.
    ASSERT_TRUE(waitFor([&] {
        const QRgb p = shown()->display.pixel(4, shown()->display.height() - 1 - 5);
        return qRed(p) > qBlue(p) + 20;
    }));
    press(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return window.session().night()->decided->makings.empty(); }));
    press(Qt::Key_G, Qt::ShiftModifier);
    EXPECT_TRUE(waitFor([&] { return shown()->display.width() > 300; }));
    window.session().finishStoring();
}

TEST_F(PictureBenchTest, SmoothingLayersAndMarksAreSeenAndKept) {
    showPicture();
    const auto roughness = [&] {
        const QImage& image = shown()->display;
        double sum = 0.0;
        for (int y = 2; y < 60; ++y) {
            for (int x = 2; x < 60; ++x) {
                sum += std::abs(qGray(image.pixel(x, y)) - qGray(image.pixel(x + 1, y)));
            }
        }
        return sum;
    };
    const double before = roughness();
    auto* smooth = find<QSlider>("pictureSmooth");
    smooth->setFocus();
    QTest::keyClick(smooth, Qt::Key_End);
    EXPECT_TRUE(waitFor([&] { return roughness() < 0.6 * before; }));
    EXPECT_EQ(window.session().night()->decided->looks.begin()->second.smoothing, 2.0);
    auto* layers = find<QComboBox>("pictureLayers");
    layers->setFocus();
    QTest::keyClick(layers, Qt::Key_Down);
    EXPECT_EQ(window.session().night()->decided->looks.begin()->second.layers,
              picture::Shown::Comet);
    QTest::mouseClick(find<QCheckBox>("pictureMark1"), Qt::LeftButton, {}, QPoint(5, 8));
    EXPECT_TRUE(window.session().night()->decided->looks.begin()->second.marks.scale);
    EXPECT_FALSE(find<Plot>("pictureColours")->sets().empty());
    window.session().finishStoring();
}

} // namespace
} // namespace pathmark::desk
