#include "desk/picture/film_session.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night_window.h"
#include "tests/support/window_test.h"

#include <QComboBox>
#include <QLabel>
#include <QSpinBox>

#include <gtest/gtest.h>

#include <set>

namespace pathmark::desk {
namespace {

class FilmBenchTest : public test_support::SmallNightWindowTest {
  protected:
    void SetUp() override {
        SmallNightWindowTest::SetUp();
        open(night());
    }

    const Picture* shown() { return find<SkyView>("sky")->picture(); }

    FilmSession* film() { return window.findChild<FilmSession*>(); }

    void showFilm() {
        press(Qt::Key_F, Qt::ShiftModifier);
        ASSERT_TRUE(waitFor([&] { return film()->made().first == film()->made().second; }));
        ASSERT_GE(film()->made().second, 3);
        ASSERT_TRUE(waitFor([&] { return shown() != nullptr && !shown()->hasMarks; }));
    }
};

TEST_F(FilmBenchTest, ItPlaysAndStopsAndTheFrameComesBack) {
    showFilm();
    std::set<qint64> seen;
    ASSERT_TRUE(waitFor([&] {
        seen.insert(shown()->display.cacheKey());
        return static_cast<int>(seen.size()) == film()->made().second;
    })) << "every picture is shown";
    press(Qt::Key_Space, Qt::ShiftModifier);
    EXPECT_FALSE(film()->isPlaying());
    const qint64 still = shown()->display.cacheKey();
    QTest::qWait(300);
    EXPECT_EQ(shown()->display.cacheKey(), still);
    press(Qt::Key_6);
    EXPECT_TRUE(waitFor([&] { return shown()->hasMarks; }));
}

TEST_F(FilmBenchTest, TheRibbonSaysWhereItBegins) {
    showFilm();
    const auto all = film()->lights();
    press(Qt::Key_Home);
    press(Qt::Key_Right);
    const int here = window.session().currentFrame();
    press(Qt::Key_Left, Qt::ControlModifier);
    EXPECT_EQ(film()->settings().first, here);
    EXPECT_LT(film()->lights().size(), all.size());
    EXPECT_EQ(film()->lights().front(), here);
    auto* running = find<QSpinBox>("filmRunning");
    running->setFocus();
    QTest::keyClick(running, Qt::Key_Up);
    EXPECT_EQ(film()->settings().running, 2);
    auto* shape = find<QComboBox>("filmShape");
    shape->setFocus();
    QTest::keyClick(shape, Qt::Key_End);
    ASSERT_TRUE(waitFor([&] {
        return film()->made().first > 0 && shown()->display.width() == shown()->display.height();
    })) << "1 : 1";
}

TEST_F(FilmBenchTest, IsWritten) {
    showFilm();
    const auto path = folder.path() / "motion.gif";
    film()->write(QString::fromStdString(path.string()));
    ASSERT_TRUE(waitFor([&] { return !film()->isWriting(); }));
    EXPECT_TRUE(std::filesystem::exists(path));
    film()->write("nothing.doc");
    EXPECT_FALSE(film()->isWriting());
}

} // namespace
} // namespace pathmark::desk
