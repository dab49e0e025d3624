#include "core/night/night_file.h"
#include "tests/support/small_night_window.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QApplication>
#include <QDialog>
#include <QMenu>
#include <QTimer>
#include <QWheelEvent>

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <array>
#include <cstdlib>
#include <fstream>
#include <random>

// Keys, clicks, drags and wheels anywhere, by a seed. PATHMARK_RANDOM_ACTS says how many, PATHMARK_RANDOM_SEED which.
namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

long numberFrom(const char* variable, long otherwise) {
    const char* text = std::getenv(variable);
    return text == nullptr ? otherwise : std::atol(text);
}

class RandomActsTest : public test_support::SmallNightWindowTest {
  protected:
    static void SetUpTestSuite() {
        // Nothing leaves the machine, and nothing of a person's settings is touched.
        home_ = new test_support::TemporaryFolder;
        const fs::path settings = home_->path() / "pathmark";
        fs::create_directories(settings);
        std::ofstream services(settings / "services.toml");
        for (const char* service : {"orbits",
                                    "comets",
                                    "sites",
                                    "earth-orientation",
                                    "leap-seconds",
                                    "field",
                                    "survey"}) {
            services << service << " = 'http://127.0.0.1:9/'\n";
        }
        services.close();
        for (const char* variable :
             {"XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "HOME"}) {
            ::setenv(variable, home_->path().c_str(), 1);
        }
        SmallNightWindowTest::SetUpTestSuite();
        for (const char* copy : {"other", "third"}) {
            fs::copy(night(), night().parent_path() / copy, fs::copy_options::recursive);
        }
    }

    static void TearDownTestSuite() {
        SmallNightWindowTest::TearDownTestSuite();
        delete home_;
        home_ = nullptr;
    }

    /// Dialogs that wait for an answer get one: keys, and the way out.
    void answerDialogs() {
        if (QWidget* popup = QApplication::activePopupWidget()) {
            popup->close();
        } else if (auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget())) {
            dialog->reject();
        }
    }

    int below(int count) { return std::uniform_int_distribution<int>(0, count - 1)(random_); }

    bool chance(double share) { return std::uniform_real_distribution<>()(random_) < share; }

    QWidget* anyWidget() {
        QList<QWidget*> seen;
        for (QWidget* widget : window.findChildren<QWidget*>()) {
            if (widget->isVisible() && widget->width() > 2 && widget->height() > 2) {
                seen.push_back(widget);
            }
        }
        return seen.isEmpty() ? &window : seen[below(static_cast<int>(seen.size()))];
    }

    QPoint anyPlace(const QWidget* widget) {
        return {below(std::max(1, widget->width())), below(std::max(1, widget->height()))};
    }

    void key() {
        constexpr std::array special{
            Qt::Key_Tab,    Qt::Key_Return,   Qt::Key_Escape, Qt::Key_Space, Qt::Key_Left,
            Qt::Key_Right,  Qt::Key_Up,       Qt::Key_Down,   Qt::Key_Home,  Qt::Key_End,
            Qt::Key_PageUp, Qt::Key_PageDown, Qt::Key_Delete, Qt::Key_F1,    Qt::Key_F2,
            Qt::Key_F5,     Qt::Key_Plus,     Qt::Key_Minus,  Qt::Key_Comma, Qt::Key_Backspace};
        const int which =
            chance(0.5) ? Qt::Key_A + below(26)
            : chance(0.3)
                ? Qt::Key_0 + below(10)
                : static_cast<int>(special.at(static_cast<std::size_t>(below(special.size()))));
        Qt::KeyboardModifiers with;
        with |= chance(0.25) ? Qt::ControlModifier : Qt::NoModifier;
        with |= chance(0.25) ? Qt::ShiftModifier : Qt::NoModifier;
        with |= chance(0.05) ? Qt::AltModifier : Qt::NoModifier;
        told_ += fmt::format("key {:x}+{:x}\n", which, static_cast<unsigned>(with.toInt()));
        press(which, with);
    }

    void mouse() {
        QWidget* widget = anyWidget();
        const QPoint place = anyPlace(widget);
        const auto button = chance(0.85) ? Qt::LeftButton : Qt::RightButton;
        told_ += fmt::format("mouse {} {} {},{}\n",
                             widget->metaObject()->className(),
                             widget->objectName().toStdString(),
                             place.x(),
                             place.y());
        if (chance(0.2)) {
            QTest::mouseDClick(widget, button, {}, place);
        } else if (chance(0.3)) {
            const QPointer<QWidget> alive(widget);
            QTest::mousePress(widget, button, {}, place);
            for (int k = 0; k < 4 && alive; ++k) {
                QTest::mouseMove(widget, anyPlace(widget));
            }
            if (alive) {
                QTest::mouseRelease(widget, button, {}, anyPlace(widget));
            }
        } else {
            QTest::mouseClick(
                widget, button, chance(0.1) ? Qt::ShiftModifier : Qt::NoModifier, place);
        }
    }

    void wheel() {
        QWidget* widget = anyWidget();
        const QPoint place = anyPlace(widget);
        QWheelEvent event(place,
                          widget->mapToGlobal(place),
                          {},
                          {0, chance(0.5) ? 120 : -120},
                          Qt::NoButton,
                          Qt::NoModifier,
                          Qt::NoScrollPhase,
                          false);
        told_ += "wheel\n";
        QApplication::sendEvent(widget, &event);
    }

    void act() {
        const double share = std::uniform_real_distribution<>()(random_);
        if (share < 0.55) {
            key();
        } else if (share < 0.93) {
            mouse();
        } else if (share < 0.98) {
            wheel();
        } else if (share < 0.99) {
            window.resize(900 + below(900), 600 + below(500));
        } else if (share < 0.995) {
            const auto name =
                std::array{"night", "other", "third"}.at(static_cast<std::size_t>(below(3)));
            told_ += std::string("open ") + name + "\n";
            window.openNight(QString::fromStdString((night().parent_path() / name).string()));
        } else {
            press(Qt::Key_R, Qt::ControlModifier);
        }
        if (!window.isVisible()) {
            window.show();
        }
        QTest::qWait(below(8));
    }

    std::mt19937 random_{static_cast<unsigned>(numberFrom("PATHMARK_RANDOM_SEED", 1))};
    std::string told_; ///< what was done, to be done again

  private:
    inline static test_support::TemporaryFolder* home_ = nullptr;
};

/// Whatever a hand does: nothing breaks, and each night's file is whole and has a history that reads.
TEST_F(RandomActsTest, LeaveTheNightWhole) {
    open(night());
    QTimer answers;
    QObject::connect(&answers, &QTimer::timeout, [this] { answerDialogs(); });
    answers.start(60);
    const long acts = numberFrom("PATHMARK_RANDOM_ACTS", 300);
    const std::string log = std::getenv("PATHMARK_RANDOM_LOG") == nullptr
                                ? std::string()
                                : std::getenv("PATHMARK_RANDOM_LOG");
    for (long k = 0; k < acts && !HasFailure(); ++k) {
        act();
        if (!log.empty() && k % 20 == 0) {
            std::ofstream(log) << told_;
        }
    }
    EXPECT_FALSE(HasFailure()) << told_.substr(told_.size() > 3000 ? told_.size() - 3000 : 0);
    window.close();
    ASSERT_TRUE(waitFor([&] { return !window.session().isRunning(); }, 120000));
    for (const char* name : {"night", "other", "third"}) {
        const auto file =
            night::NightFile::open(night().parent_path() / name / "results" / "night.pmnight");
        ASSERT_TRUE(file) << name << ": " << file.error().detail;
        EXPECT_TRUE(file->history()) << name;
        EXPECT_TRUE(file->decided()) << name;
        EXPECT_TRUE(file->lights()) << name;
        EXPECT_TRUE(file->measurements()) << name;
    }
    QTest::qWait(200);
}

} // namespace
} // namespace pathmark::desk
