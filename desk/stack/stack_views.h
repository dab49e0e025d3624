#pragma once

#include "desk/stack/stack_session.h"

#include <QWidget>

namespace pathmark::desk {

/// The stack at the motion in hand, large, and beside it its two halves in time: at a false motion they differ. A ring marks where the
/// body is.
class StackViews : public QWidget {
    Q_OBJECT

  public:
    explicit StackViews(QWidget* parent = nullptr);

    /// Null: nothing is shown. `place`: of the body, pixels of the view; `ring`: radius, likewise.
    void setViews(std::shared_ptr<const MotionViews> views, frame::PixelPos place, double ring);

    [[nodiscard]] QSize sizeHint() const override;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void drawView(QPainter& painter, const QRectF& place, std::size_t which) const;

    std::shared_ptr<const MotionViews> views_;
    frame::PixelPos place_;
    double ring_ = 0.0;
};

} // namespace pathmark::desk
