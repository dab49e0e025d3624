#pragma once

#include <QElapsedTimer>
#include <QScrollArea>

namespace pathmark::desk {

/// Lets content that may be longer than its room be scrolled downwards, and never sideways.
void scrollDownwards(QScrollArea& area, QWidget* content);

/// Keeps a turn of the wheel that scrolls an area scrolling: what comes to lie under the mouse on the way, a plot that the wheel zooms,
/// takes no part in it.
class SteadyWheel : public QObject {
    Q_OBJECT

  public:
    explicit SteadyWheel(QScrollArea& area);

    bool eventFilter(QObject* receiver, QEvent* event) override;

  private:
    QScrollArea& area_;
    QElapsedTimer scrolled_; ///< since the wheel last scrolled the area
};

} // namespace pathmark::desk
