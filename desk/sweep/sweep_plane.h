#pragma once

#include "core/identify/populations.h"
#include "desk/plot/motion_plane.h"

#include <QString>

#include <optional>
#include <vector>

class QLineEdit;

namespace pathmark::desk {

class LabelGround;

/// A body on the plane of a sweep.
struct MovingMark {
    QString id; ///< of what a click takes in hand; empty: nothing
    night::SkyMotion motion;
    bool isKnown = false;
    bool isInHand = false;
    QString label; ///< empty: none is set
};

/// The plane of a sweep: the sector of motions that is searched, which the mouse draws; where the populations of the sky move here tonight;
/// the known bodies as small hollow marks, and what was found as crosses.
class SweepPlane : public MotionPlane {
    Q_OBJECT

  public:
    explicit SweepPlane(QWidget* parent = nullptr);

    /// Motions up to a rate are seen; 0: the plane is empty.
    void setMostRate(double rate);
    void setEmptyText(const QString& text);
    void setSector(const identify::RateSector& sector);
    void setPopulations(std::vector<identify::PopulationMotion> populations);
    void setMarks(std::vector<MovingMark> marks);

    [[nodiscard]] const identify::RateSector& sector() const { return sector_; }

    /// Smaller than the rate pad: lists and pictures share its page.
    [[nodiscard]] QSize sizeHint() const override;

    static QString nameOf(identify::Population population);

  signals:
    /// The mouse has drawn another sector.
    void sectorDrawn(const pathmark::identify::RateSector& sector);

    /// A mark was clicked.
    void picked(const QString& id);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void changeEvent(QEvent* event) override;

  private:
    void drawSector(QPainter& painter) const;
    void drawPopulations(QPainter& painter, LabelGround& ground) const;
    void drawMarks(QPainter& painter, LabelGround& ground) const;
    [[nodiscard]] identify::RateSector sectorBetween(const QPointF& a, const QPointF& b) const;
    [[nodiscard]] const MovingMark* markAt(const QPointF& place) const;

    QString emptyText_;
    identify::RateSector sector_;
    std::vector<identify::PopulationMotion> populations_;
    std::vector<MovingMark> marks_;
    std::optional<QPointF> pressedAt_;
};

} // namespace pathmark::desk
