#pragma once

namespace pathmark::measure {

/// The share of a pixel, (dx, dy) from the centre of a circle, that lies inside it, by 5 x 5 sub-pixels.
///
/// Source   Howell 2006, Handbook of CCD Astronomy, 2nd ed., sec. 5.2.
double shareInside(double dx, double dy, double radius);

} // namespace pathmark::measure
