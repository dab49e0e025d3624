#pragma once

#include "core/night/body_frames.h"

#include <QImage>
#include <QString>
#include <QWidget>

#include <memory>
#include <optional>

namespace pathmark::desk {

/// The motion plane: rate eastward and northward in arcsec per minute, drawn as the sky is, north up and east to the left; zero is
/// where the stars stand. Shade is the signal-to-noise of the body added up at that motion; an ellipse with a lozenge is what the orbit
/// predicts, an ellipse with a cross what the frames show, the ring with four strokes the motion in hand, which the mouse drags and
/// the arrow keys move while the plane has the focus.
class MotionPlaneView : public QWidget {
    Q_OBJECT

  public:
    explicit MotionPlaneView(QWidget* parent = nullptr);

    /// Null: nothing to show but `setEmptyText`.
    void setSurvey(std::shared_ptr<const night::MotionSurvey> survey);
    void setPredicted(const night::SkyMotion& motion, const night::MotionCovariance& error);
    void setMotion(const night::SkyMotion& motion);
    void setEmptyText(const QString& text);

    [[nodiscard]] const night::SkyMotion& motion() const { return motion_; }

    /// Where a motion is drawn, and which one is drawn at a place.
    [[nodiscard]] QPointF placeOf(const night::SkyMotion& motion) const;
    [[nodiscard]] night::SkyMotion motionAt(const QPointF& place) const;

    [[nodiscard]] QSize sizeHint() const override;

  signals:
    /// The hand moves the motion.
    void dragged(const pathmark::night::SkyMotion& motion);

    /// The wheel asks for a plane that much as wide.
    void widthWanted(double factor);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void changeEvent(QEvent* event) override;

  private:
    [[nodiscard]] QRectF plane() const;
    [[nodiscard]] double pixelsOfOne() const; ///< for one arcsec per minute
    void shade();
    void drawRates(QPainter& painter) const;
    void drawAxes(QPainter& painter) const;
    void drawEllipse(QPainter& painter,
                     const night::SkyMotion& middle,
                     const night::MotionCovariance& error) const;
    void drawMarks(QPainter& painter) const;
    void drawMotion(QPainter& painter) const;
    void take(const QPointF& place);

    std::shared_ptr<const night::MotionSurvey> survey_;
    night::SkyMotion predicted_;
    night::MotionCovariance predictedError_;
    night::SkyMotion motion_;
    QImage shade_;
    QString emptyText_;
    bool drags_ = false;
};

} // namespace pathmark::desk
