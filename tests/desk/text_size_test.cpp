#include "core/night/run_night.h"
#include "desk/ribbon/frame_ribbon.h"
#include "desk/route/route_bar.h"
#include "desk/shell/kept_state.h"
#include "desk/theme/theme.h"
#include "tests/support/small_night.h"
#include "tests/support/text_recorder.h"
#include "tests/support/window_test.h"

#include <QAbstractButton>
#include <QAbstractItemView>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QSplitter>

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

using test_support::PaintedText;
using test_support::TextRecorder;

/// A night that was run once for all tests here.
class TextSizeTest : public test_support::WindowTest, public testing::WithParamInterface<int> {
  protected:
    static void SetUpTestSuite() {
        folder_ = new test_support::TemporaryFolder;
        test_support::makeSmallNight(folder_->path() / "night");
        night::RunOptions options;
        options.folder = folder_->path() / "night";
        options.recipe = options.folder / "recipe.toml";
        options.out = options.folder / "results";
        ASSERT_TRUE(night::runNight(options, Job{}));
    }

    static void TearDownTestSuite() { delete std::exchange(folder_, nullptr); }

    void SetUp() override {
        showWindow();
        window.openNight(QString::fromStdString((folder_->path() / "night").string()));
        ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
        while (currentTextPercent() < GetParam()) {
            press(Qt::Key_Plus, Qt::ControlModifier);
        }
        QTest::qWait(50);
    }

    void TearDown() override {
        press(Qt::Key_0, Qt::ControlModifier);
        ASSERT_EQ(currentTextPercent(), 100);
    }

    /// What the widget would need to show its text whole, or nothing where it shows none.
    static QString whatIsCut(const QWidget& widget) {
        const auto report = [&](const QString& text, int has, int needs) {
            return has >= needs ? QString()
                                : QString("%1 '%2': %3 of %4 pixels")
                                      .arg(widget.objectName(), text.left(60))
                                      .arg(has)
                                      .arg(needs);
        };
        if (const auto* label = qobject_cast<const QLabel*>(&widget)) {
            if (label->text().isEmpty() || label->objectName() == "cursorLine") {
                return {};
            }
            return label->wordWrap()
                       ? report(
                             label->text(), label->height(), label->heightForWidth(label->width()))
                       : report(label->text(), label->width(), label->minimumSizeHint().width());
        }
        if (const auto* button = qobject_cast<const QAbstractButton*>(&widget)) {
            const QFontMetrics metrics(button->font());
            const int frame = qobject_cast<const QPushButton*>(button) != nullptr ? 20 : 8;
            const QString cut =
                report(button->text(),
                       button->width(),
                       metrics.horizontalAdvance(button->text().remove('&')) + frame);
            return cut.isEmpty() ? report(button->text(), button->height(), metrics.height()) : cut;
        }
        return {};
    }

    /// All that is cut in a window, or stands out of what it lies in.
    static QStringList whatIsAmiss(const QWidget& window) {
        QStringList amiss;
        for (const auto* widget : window.findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->width() == 0) {
                continue;
            }
            if (const QString cut = whatIsCut(*widget); !cut.isEmpty()) {
                amiss << cut;
            }
            const QWidget* parent = widget->parentWidget();
            const bool scrolls =
                parent != nullptr && parent->parentWidget() != nullptr &&
                qobject_cast<QAbstractScrollArea*>(parent->parentWidget()) != nullptr;
            if (parent != nullptr && parent->layout() != nullptr && !scrolls &&
                !parent->rect().adjusted(-1, -1, 1, 1).contains(widget->geometry())) {
                amiss << widget->objectName() + " in " + parent->objectName();
            }
        }
        return amiss;
    }

    /// Text that the widget paints by itself and that does not fit in it, or lies on other text of it.
    static QStringList whatIsPaintedAmiss(QWidget& widget) {
        QStringList amiss;
        const auto texts = TextRecorder::of(widget);
        const QRectF inside = QRectF(widget.rect()).adjusted(-1.5, -1.5, 1.5, 1.5);
        for (std::size_t i = 0; i < texts.size(); ++i) {
            const PaintedText& one = texts[i];
            if (one.text.trimmed().isEmpty()) {
                continue;
            }
            if (!inside.contains(one.box)) {
                amiss << QString("%1 '%2' leaves its widget").arg(widget.objectName(), one.text);
            }
            for (std::size_t j = 0; j < i; ++j) {
                const QRectF both = one.box.intersected(texts[j].box);
                if (both.width() > 2.0 && both.height() > 0.35 * one.box.height() &&
                    !texts[j].text.trimmed().isEmpty()) {
                    amiss << QString("%1 '%2' lies on '%3'")
                                 .arg(widget.objectName(), one.text, texts[j].text);
                }
            }
        }
        return amiss;
    }

    static test_support::TemporaryFolder* folder_;
};

test_support::TemporaryFolder* TextSizeTest::folder_ = nullptr;

TEST_P(TextSizeTest, NothingIsCutOnAnyBench) {
    EXPECT_EQ(window.size(), QSize(1280, 800)) << "the window must not have to grow";
    for (int stage = 1; stage <= 7; ++stage) {
        press(Qt::Key_0 + stage);
        QTest::qWait(150);
        SCOPED_TRACE("stage " + std::to_string(stage));
        EXPECT_EQ(window.size(), QSize(1280, 800));
        // What a job has just brought may not be laid out yet.
        waitFor([&] { return whatIsAmiss(window).isEmpty(); }, 5000);
        const QStringList cut = whatIsAmiss(window);
        EXPECT_TRUE(cut.isEmpty()) << cut.join("\n").toStdString();
        // Names, magnitudes and counts of the bodies stand beside each other.
        const QStringList list =
            whatIsPaintedAmiss(*window.findChild<QAbstractItemView*>("bodies")->viewport());
        EXPECT_TRUE(list.isEmpty()) << list.join("\n").toStdString();
        for (const char* name : {"route",
                                 "ribbon",
                                 "groupStrips",
                                 "stackBars",
                                 "motionPlane",
                                 "stackViews",
                                 "matchMap",
                                 "residualMap"}) {
            auto* painted = window.findChild<QWidget*>(name);
            if (painted != nullptr && painted->isVisible()) {
                const QStringList amiss = whatIsPaintedAmiss(*painted);
                EXPECT_TRUE(amiss.isEmpty()) << amiss.join("\n").toStdString();
            }
        }
    }
}

TEST_P(TextSizeTest, NothingIsCutOnTheSheetOfKeys) {
    press(Qt::Key_F1);
    QTest::qWait(100);
    auto* sheet = window.findChild<QWidget*>("keys");
    ASSERT_TRUE(sheet->isVisible());
    // What is wider than its room would lie beyond the edge, and the sheet is not scrolled sideways.
    const auto* room = sheet->findChild<QScrollArea*>();
    ASSERT_NE(room, nullptr);
    EXPECT_LE(room->widget()->minimumSizeHint().width(), room->viewport()->width());
    int seen = 0;
    for (auto* widget : sheet->findChildren<QWidget*>()) {
        const QString cut = widget->isVisible() ? whatIsCut(*widget) : QString();
        EXPECT_TRUE(cut.isEmpty()) << cut.toStdString();
        ++seen;
    }
    EXPECT_GT(seen, 100);
    press(Qt::Key_Escape);
}

INSTANTIATE_TEST_SUITE_P(Percent, TextSizeTest, testing::Values(100, 125, 150));

/// Every element that the hand works on has a name for those who hear the screen.
TEST(AccessibleNamesTest, EveryInteractiveElementHasOne) {
    MainWindow window;
    for (auto* widget : window.findChildren<QWidget*>()) {
        const bool interactive = widget->focusPolicy() != Qt::NoFocus ||
                                 qobject_cast<QAbstractButton*>(widget) != nullptr ||
                                 qobject_cast<QAbstractItemView*>(widget) != nullptr;
        // A label is read out by its text.
        const bool ofQt = qobject_cast<QLabel*>(widget) != nullptr ||
                          widget->objectName().startsWith("qt_") ||
                          qobject_cast<QScrollBar*>(widget) != nullptr ||
                          qobject_cast<QHeaderView*>(widget) != nullptr ||
                          QString(widget->metaObject()->className()).startsWith("QTableCorner") ||
                          QString(widget->metaObject()->className()) == "QLineEditIconButton";
        if (interactive && !ofQt) {
            const auto* button = qobject_cast<QAbstractButton*>(widget);
            EXPECT_FALSE(widget->accessibleName().isEmpty() &&
                         (button == nullptr || button->text().isEmpty()))
                << widget->metaObject()->className() << " " << widget->objectName().toStdString()
                << " in " << widget->parentWidget()->objectName().toStdString();
        }
    }
    // What the house paints itself is worked with the mouse, so it has a name too.
    for (const char* name :
         {"sky", "ribbon", "route", "bodies", "cutouts", "groupStrips", "matchMap"}) {
        const auto* painted = window.findChild<QWidget*>(name);
        ASSERT_NE(painted, nullptr) << name;
        EXPECT_FALSE(painted->accessibleName().isEmpty()) << name;
    }
}

} // namespace
} // namespace pathmark::desk
