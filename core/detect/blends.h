#pragma once

#include "core/base/point_grid.h"
#include "core/detect/detect.h"
#include "core/detect/point_spread_field.h"
#include "core/detect/star_window.h"

#include <utility>
#include <vector>

namespace pathmark::detect {

/// Sources by place.
class NeighbourGrid {
  public:
    NeighbourGrid(const std::vector<Source>& sources, double cell);

    /// Indices of the other sources nearer than `radius` to source `self`, ascending.
    [[nodiscard]] std::vector<std::size_t> within(std::size_t self, double radius) const;

    /// Whether a source is nearer than `radius` to a place.
    [[nodiscard]] bool anyWithin(double x, double y, double radius) const;

  private:
    const std::vector<Source>& sources_;
    PointGrid<Source> grid_;
};

/// Takes the light of a source off a window about pixel (cx, cy).
void takeOffSource(
    const Source& source, const PointSpreadField& spread, int cx, int cy, StarWindow& window);

/// A second star under the light of a first: the best point source in what is left of a window after the fit, where it
/// stands out by `threshold` and is no mere fault of the profile.
std::optional<Source> findCompanion(const Source& source,
                                    const PointSpreadField& spread,
                                    int cx,
                                    int cy,
                                    const StarWindow& window,
                                    double threshold);

/// Fits places and fluxes of sources that share their light, all at once; errors from the joint normal equations.
///
/// Shapes   `window` about pixel (cx, cy) holds all of them, the light of all others taken off.
/// Errors   false, the members unchanged: no convergence or a member left its place by more than 2 pixels
bool fitTogether(std::vector<Source>& members,
                 const PointSpreadField& spread,
                 int cx,
                 int cy,
                 const StarWindow& window);

} // namespace pathmark::detect
