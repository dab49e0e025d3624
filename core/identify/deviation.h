#pragma once

#include "core/identify/orbit_catalog.h"
#include "core/orbit/motion/planets.h"

#include <span>
#include <vector>

namespace pathmark::identify {

/// How far a body can have strayed from its unperturbed orbit.
struct Deviation {
    double au = 0.0;
    bool deep = false; ///< it passed so near a planet that no bound holds: integrate
};

/// Bounds of the planets' pull on every orbit of a catalogue between its epoch and a night.
///
/// Model    Three times the double integral of the pull's size: a push along the motion drifts up to three times as
///          far as it would in a straight line. Between 1.7 and 4.4 au from the Sun the nearest that
///          the planets can come gives the pull; elsewhere it is taken along the unperturbed path, with
///          1/d^2 integrated exactly over straight pieces so that no passage slips through.
/// Threads  Pure.
class DeviationBounds {
  public:
    /// Errors   orbit.outside_ephemeris
    static Result<DeviationBounds>
    make(const OrbitCatalog& catalog, const orbit::Planets& planets, double nightDay);

    [[nodiscard]] Deviation of(std::size_t orbit, const OrbitCatalog::Shape& shape) const;

  private:
    struct Puller {
        orbit::SpkBody body;
        double gm = 0.0;
        double deepAu = 0.0; ///< nearer passages have no bound
        bool inner = false;
    };

    /// Common days, the night among them, and where the planets are then.
    struct TimeGrid {
        double step = 0.0;
        std::vector<double> days;
        std::vector<std::vector<Vec3>> places; ///< heliocentric, by puller and day
    };

    explicit DeviationBounds(const OrbitCatalog& catalog) : catalog_(&catalog) {}

    Result<TimeGrid>
    makeGrid(const orbit::Planets& planets, double step, double first, double last) const;
    [[nodiscard]] double quiet(const OrbitCatalog::Shape& shape) const;
    [[nodiscard]] Deviation
    walk(std::size_t orbit, const OrbitCatalog::Shape& shape, const TimeGrid& grid) const;

    const OrbitCatalog* catalog_;
    double night_ = 0.0;

    std::vector<Puller> pullers_;
    std::vector<TimeGrid> grids_; ///< fine for what crosses the Earth's path, coarser farther out
};

} // namespace pathmark::identify
