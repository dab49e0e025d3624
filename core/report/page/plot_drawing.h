#pragma once

#include "core/report/page/page.h"

typedef struct _cairo cairo_t;

namespace pathmark::report {

/// Draws a plot into the rectangle from the origin, in points: axes with round numbers, grid, error bars, legend.
void drawPlot(cairo_t* cairo, const PagePlot& plot, double width, double height);

/// Round steps for an axis: 1, 2 or 5 times a power of ten, about `wanted` of them.
double roundStep(double span, int wanted);

/// The same for hours, as clocks are parted: 1, 2, 5, 10, 15, 20, 30 minutes, 1, 2, 3, 6 hours and days.
double clockStep(double hours, int wanted);

} // namespace pathmark::report
