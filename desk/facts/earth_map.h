#pragma once

#include "core/night/needs/coastlines.h"

#include <QWidget>

#include <optional>
#include <vector>

namespace pathmark::desk {

/// A small map of the Earth to point at a site: the wheel brings it nearer, a click or the arrow keys choose the place.
class EarthMap : public QWidget {
    Q_OBJECT

  public:
    explicit EarthMap(QWidget* parent = nullptr);

    void setPlace(const std::optional<pathmark::night::EarthPoint>& place);

    /// Where a place is drawn.
    [[nodiscard]] QPointF pointOf(const night::EarthPoint& place) const;

  signals:
    void chosen(double longitude, double latitude);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] night::EarthPoint placeAt(const QPointF& point) const;
    [[nodiscard]] double pixelsPerDegree() const;
    void keepInside();

    std::vector<std::vector<night::EarthPoint>> coasts_;
    std::optional<night::EarthPoint> place_;
    night::EarthPoint middle_;
    double zoom_ = 1.0;
};

} // namespace pathmark::desk
