#pragma once

namespace pathmark::measure {

/// The share of a pixel, (dx, dy) from the centre of a circle, that lies inside it: the area itself, not a count of sub-pixels, which
/// is off by 2 % of the whole of a circle of three pixels.
///
/// Source   Howell 2006, Handbook of CCD Astronomy, 2nd ed., sec. 5.2 (partial pixels).
double shareInside(double dx, double dy, double radius);

} // namespace pathmark::measure
