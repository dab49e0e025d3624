#pragma once

#include "core/frame/fits_header.h"
#include "core/frame/wcs.h"

namespace pathmark::frame {

/// By how much a source whose colour is not that of the stars may lie, along an axis, from where its frame's solution has it: one
/// standard deviation in pixels. Only the sums of a colour camera's cells of 2 x 2 pixels lean: their red and blue stand at opposite
/// corners.
///
/// Model    Half of what an average star leans by: what the header says of it, else 0.04 pixel (light of a red : green : blue of
///          1 : 1.2 : 0.4, as warm stars have it on usual sensors, leans by 0.25 (1 - 0.4) / 3.8).
double leanError(const Header& header);

/// The same where an average star is known to lean so far.
double leanError(const PixelPos& ofStars);

} // namespace pathmark::frame
