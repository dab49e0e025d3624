#pragma once

#include "core/night/body_orbit.h"

#include <QWidget>

#include <memory>
#include <vector>

namespace pathmark::desk {

/// What became of an observation in the fit of an orbit.
enum class ObservationPart {
    Used,
    Tonight,     ///< used, and of tonight
    LeftOut,     ///< the fit left it out: it does not agree
    SwitchedOff, ///< the observer took it out
};

ObservationPart partOf(const night::BodyOrbit& orbit, std::size_t sighting);

/// Observed minus computed of every observation of an orbit: nights side by side with the gaps folded, right ascension
/// above, declination below. A click takes an observation out or back.
class OrbitPlot : public QWidget {
    Q_OBJECT

  public:
    explicit OrbitPlot(QWidget* parent = nullptr);

    void setOrbit(std::shared_ptr<const night::BodyOrbit> orbit);
    void setChosen(int sighting);

    /// Where a sighting's mark of right ascension (or declination) is drawn.
    [[nodiscard]] QPointF markOf(int sighting, bool declination) const;

    QSize sizeHint() const override { return {420, 210}; }

  signals:
    void chosen(int sighting);
    void toggled(int sighting);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    /// The sightings of one night, and where they stand on the axis.
    struct Stretch {
        std::size_t first = 0;
        std::size_t last = 0;
        double left = 0.0;
        double right = 0.0;
    };

    void layOut();
    [[nodiscard]] QRectF box(bool declination) const;
    [[nodiscard]] double xOf(std::size_t sighting) const;
    void drawAxis(QPainter& painter, bool declination) const;
    void drawMark(QPainter& painter, std::size_t sighting, bool declination) const;
    void drawDates(QPainter& painter) const;

    std::shared_ptr<const night::BodyOrbit> orbit_;
    std::vector<Stretch> stretches_;
    double reach_ = 1.0; ///< arcsec from the middle line to the edge
    int chosen_ = -1;
};

} // namespace pathmark::desk
