#pragma once

#include "core/solve/solve_frame.h"

#include <span>
#include <vector>

namespace pathmark::solve {

/// What a hand does to a catalogue that is laid over a frame. Each moves the stars on the frame and leaves the frame as
/// it is; a solution with distortion loses it.

/// Stars go along with the hand.
frame::Wcs moved(const frame::Wcs& wcs, frame::PixelPos from, frame::PixelPos to);

/// Stars turn about a pixel, from +x to +y.
frame::Wcs turned(const frame::Wcs& wcs, Angle angle, frame::PixelPos about);

/// Stars draw apart from a pixel by a factor: the scale in arcsec per pixel falls by it.
frame::Wcs scaled(const frame::Wcs& wcs, double factor, frame::PixelPos about);

/// Stars swap left and right of a pixel.
frame::Wcs flipped(const frame::Wcs& wcs, frame::PixelPos about);

/// How well stars laid over a frame coincide with its sources.
struct Coincidence {
    int shown = 0;               ///< stars on the frame
    std::vector<bool> coincides; ///< per star of the field: a source lies within the radius
    int stars = 0;               ///< stars that do
    double rmsPixels = 0.0;      ///< along an axis, of their distances
};

/// Of the sources three times as many as there are stars on the frame are looked at, the brightest.
Coincidence coincide(const detect::Detection& detection,
                     std::span<const catalog::Star> field,
                     const frame::Wcs& wcs,
                     FrameSize size,
                     double radiusPixels);

/// From a fit by hand to a solution.
///
/// Model    The turn and scale around the hand's (up to 3 degrees and 4 %), and the shift of the stars that are shown (G up to
///          `faintestG`) by up to 0.8, 2 and 5 % of the diagonal, that bring most of the bright sources onto stars; then
///          all sources against all stars in steps. Of the three the one that is least likely chance; its bound counts all
///          those turns, scales and shifts.
/// Errors   solve.no_match  too few stars agree; catalog.no_stars
Result<Solution> lockHandFit(const detect::Detection& detection,
                             FrameSize size,
                             const Utc& date,
                             const frame::Wcs& byHand,
                             double faintestG,
                             const catalog::StarStore& store);

} // namespace pathmark::solve
