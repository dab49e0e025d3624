#pragma once

#include "desk/plot/motion_plane.h"

#include <QImage>
#include <QString>

#include <memory>
#include <optional>

namespace pathmark::desk {

/// The rate pad. Shade is the signal-to-noise of the body added up at that motion; an ellipse with a lozenge is what the orbit
/// predicts, an ellipse with a cross what the frames show, the ring with four strokes the motion in hand, which the mouse drags and
/// the arrow keys move while the plane has the focus.
class MotionPlaneView : public MotionPlane {
    Q_OBJECT

  public:
    explicit MotionPlaneView(QWidget* parent = nullptr);

    /// Null: nothing to show but `setEmptyText`.
    void setSurvey(std::shared_ptr<const night::MotionSurvey> survey);
    void setPredicted(const night::SkyMotion& motion, const night::MotionCovariance& error);
    void setMotion(const night::SkyMotion& motion);
    void setEmptyText(const QString& text);

    [[nodiscard]] const night::SkyMotion& motion() const { return motion_; }

  signals:
    /// The hand moves the motion.
    void dragged(const pathmark::night::SkyMotion& motion);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void changeEvent(QEvent* event) override;

  private:
    void shade();
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
