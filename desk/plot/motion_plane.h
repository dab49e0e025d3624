#pragma once

#include "core/night/body_frames.h"

#include <QWidget>

namespace pathmark::desk {

/// The plane of motions: rate eastward and northward in arcsec per minute, drawn as the sky is, north up and east to the left; zero is
/// where the stars stand, with rings of equal rate about it. What is on it is its heirs'.
class MotionPlane : public QWidget {
    Q_OBJECT

  public:
    explicit MotionPlane(QWidget* parent = nullptr);

    /// Where a motion is drawn, and which one is drawn at a place.
    [[nodiscard]] QPointF placeOf(const night::SkyMotion& motion) const;
    [[nodiscard]] night::SkyMotion motionAt(const QPointF& place) const;

    [[nodiscard]] double halfWidth() const { return halfWidth_; }

    [[nodiscard]] QSize sizeHint() const override;

  signals:
    /// The wheel asks for a plane that much as wide.
    void widthWanted(double factor);

  protected:
    /// The motions that are seen: so far about one, arcsec per minute; 0: none.
    void setView(const night::SkyMotion& middle, double halfWidth);

    [[nodiscard]] bool hasView() const { return halfWidth_ > 0.0; }

    [[nodiscard]] QRectF plane() const;
    [[nodiscard]] double pixelsOfOne() const; ///< for one arcsec per minute
    void drawRates(QPainter& painter) const;
    void drawAxes(QPainter& painter) const;

    /// Where it is said that the stars stand there.
    [[nodiscard]] QRectF starsLabel() const;
    void wheelEvent(QWheelEvent* event) override;

  private:
    night::SkyMotion middle_;
    double halfWidth_ = 0.0;
};

} // namespace pathmark::desk
