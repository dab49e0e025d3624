#include "desk/shell/scrolled.h"

#include <QLabel>
#include <QScrollBar>
#include <QTest>
#include <QVBoxLayout>
#include <QWheelEvent>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

/// Something that the wheel does something else to, as it zooms a plot.
class Zoomed : public QWidget {
  public:
    int notches = 0;

  protected:
    void wheelEvent(QWheelEvent* event) override {
        ++notches;
        event->accept();
    }
};

void turnWheelOver(QWidget& widget) {
    const QPointF middle = QRectF(widget.rect()).center();
    QWheelEvent wheel(middle,
                      widget.mapToGlobal(middle),
                      {},
                      QPoint(0, -120),
                      Qt::NoButton,
                      Qt::NoModifier,
                      Qt::NoScrollPhase,
                      false);
    QSpontaneKeyEvent::setSpontaneous(
        &wheel); // as the window system sends it: on to the parents of who has no use for it
    qApp->notify(&widget, &wheel);
}

/// One turn of the wheel scrolls on over what it zooms; a turn that begins there zooms.
TEST(ScrolledTest, ATurnOfTheWheelGoesOnAsItBegan) {
    QScrollArea area;
    auto* content = new QWidget;
    auto* layout = new QVBoxLayout(content);
    auto* words = new QLabel("words");
    auto* zoomed = new Zoomed;
    words->setFixedHeight(400);
    zoomed->setFixedHeight(1600);
    layout->addWidget(words);
    layout->addWidget(zoomed);
    scrollDownwards(area, content);
    area.resize(300, 300);
    area.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&area));
    turnWheelOver(*words);
    const int once = area.verticalScrollBar()->value();
    EXPECT_GT(once, 0);
    turnWheelOver(*zoomed);
    EXPECT_EQ(zoomed->notches, 0);
    const int twice = area.verticalScrollBar()->value();
    EXPECT_GT(twice, once);
    QTest::qWait(600);
    turnWheelOver(*zoomed);
    EXPECT_EQ(zoomed->notches, 1);
    EXPECT_EQ(area.verticalScrollBar()->value(), twice);
}

} // namespace
} // namespace pathmark::desk
