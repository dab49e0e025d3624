#pragma once

#include <QLineF>
#include <QRectF>
#include <QString>

#include <functional>
#include <vector>

class QPainter;

namespace pathmark::desk {

/// The ground on which labels are set: a label lies on no line, no other label and no bright star where there is room beside its
/// place, and a hair line joins it where it had to move away.
class LabelGround {
  public:
    /// `light` tells how bright the picture is at most inside a rectangle, 0 to 1.
    LabelGround(const QRectF& seen, std::function<double(const QRectF&)> light);

    /// Lines and places that no label may cover.
    void keepFree(const QLineF& line);
    void keepFree(const QRectF& place);

    /// Where a label of that size is set for a place; the ground is taken.
    QRectF take(const QPointF& place, const QSizeF& size);

    /// Sets a label in the painter's pen.
    void write(QPainter& painter, const QPointF& place, const QString& text);

  private:
    [[nodiscard]] double cost(const QRectF& box) const;

    QRectF seen_;
    std::function<double(const QRectF&)> light_;
    std::vector<QLineF> lines_;
    std::vector<QRectF> taken_;
};

} // namespace pathmark::desk
