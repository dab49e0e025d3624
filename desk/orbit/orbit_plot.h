#pragma once

#include "core/night/body_orbit.h"
#include "desk/plot/plot.h"

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
class OrbitPlot : public Plot {
    Q_OBJECT

  public:
    explicit OrbitPlot(QWidget* parent = nullptr);

    void setOrbit(std::shared_ptr<const night::BodyOrbit> orbit);

    /// Where a sighting's mark of right ascension (or declination) is drawn.
    [[nodiscard]] QPointF markOf(int sighting, bool declination) const;

    QSize sizeHint() const override { return {420, 240}; }

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void foldTime();
    [[nodiscard]] std::size_t datesWithRoom() const;
    [[nodiscard]] PlotPoint pointOf(std::size_t sighting, bool declination) const;
    [[nodiscard]] double reach() const;

    std::shared_ptr<const night::BodyOrbit> orbit_;
    std::vector<double> places_; ///< of the sightings on the folded axis
    PlotAxis time_;
    std::size_t dates_ = 0; ///< that had room when it was laid out
};

} // namespace pathmark::desk
