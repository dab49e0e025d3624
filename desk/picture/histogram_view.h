#pragma once

#include "core/picture/light_histogram.h"

#include <QWidget>

#include <array>
#include <memory>
#include <optional>

namespace pathmark::desk {

/// How often each light is in a picture, and the curve that makes brightness of it; black, white and the bend of the curve are marks on it
/// that a hand moves: by the mouse, or by the arrow keys where the view has the keyboard (Tab to the next mark).
class HistogramView : public QWidget {
    Q_OBJECT

  public:
    enum class Mark { Black, Bend, White };

    explicit HistogramView(QWidget* parent = nullptr);

    /// Null: nothing. Kept until another is set.
    void setHistogram(const picture::LightHistogram* histogram);

    void setStretch(const picture::Stretch& stretch);

    [[nodiscard]] const picture::Stretch& stretch() const { return stretch_; }

    [[nodiscard]] Mark markInHand() const { return mark_; }

    /// Where a mark is on the view.
    [[nodiscard]] QPointF placeOf(Mark mark) const;

    [[nodiscard]] QSize sizeHint() const override;

  signals:
    void moved(const pathmark::picture::Stretch& stretch); ///< by a hand
    void rested();                                         ///< the hand let go

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool focusNextPrevChild(bool next) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    [[nodiscard]] QRectF field() const;
    [[nodiscard]] double xOf(double light) const;
    [[nodiscard]] double lightAt(double x) const;
    [[nodiscard]] double bendLight() const; ///< where the curve bends
    void moveTo(Mark mark, double light);
    void drawCounts(QPainter& painter) const;
    void drawCurve(QPainter& painter) const;
    void drawMarks(QPainter& painter) const;

    const picture::LightHistogram* histogram_ = nullptr;
    picture::Stretch stretch_;
    Mark mark_ = Mark::Black;
    bool isDragged_ = false;
};

} // namespace pathmark::desk
