#include "desk/shell/scrolled.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QScrollBar>
#include <QWheelEvent>

namespace pathmark::desk {
namespace {

constexpr qint64 kOneTurn =
    400; ///< milliseconds: notches that follow each other sooner are of one turn

/// Keeps a turn of the wheel that scrolls an area scrolling.
class SteadyWheel : public QObject {
  public:
    explicit SteadyWheel(QScrollArea& area) : QObject(&area), area_(area) {
        // Who is asked first is told of a notch before the plots are; the area's own filters come too late.
        qApp->installEventFilter(this);
    }

    bool eventFilter(QObject* receiver, QEvent* event) override {
        if (event->type() != QEvent::Wheel) {
            return false;
        }
        if (receiver == area_.viewport()) {
            scrolled_.start();
            return false;
        }
        auto* widget = qobject_cast<QWidget*>(receiver);
        const bool isInside = widget != nullptr && area_.viewport()->isAncestorOf(widget);
        if (!isInside || !scrolled_.isValid() || scrolled_.elapsed() > kOneTurn) {
            return false;
        }
        scrolled_.start();
        QApplication::sendEvent(area_.verticalScrollBar(), event);
        return true;
    }

  private:
    QScrollArea& area_;
    QElapsedTimer scrolled_; ///< since the wheel last scrolled the area
};

} // namespace

void scrollDownwards(QScrollArea& area, QWidget* content) {
    area.setWidget(content);
    area.setWidgetResizable(true);
    area.setFrameShape(QFrame::NoFrame);
    area.setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    new SteadyWheel(area); // NOLINT(cppcoreguidelines-owning-memory): the area's child
}

} // namespace pathmark::desk
