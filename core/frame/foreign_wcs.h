#pragma once

#include "core/frame/wcs.h"

namespace pathmark::frame {

/// Reads a solution of any projection and distortion that wcslib knows, as TAN with SIP over the frame.
///
/// Model    wcslib's own positions on a grid over the frame, fitted by polynomials about the frame's middle; the
///          degree grows until every node is met.
/// Frame    RADESYS is taken for ICRS: FK5 differs by 0.02 arcsec at most.
/// Shapes   `width`, `height` of the frame in pixels
/// Errors   frame.bad_wcs  absent, incomplete, not equatorial, or too curved over the frame for SIP
/// Accuracy 1e-3 pixel over the frame.
/// Source   Calabretta & Greisen 2002, A&A 395, 1077 (projections).
Result<Wcs> readForeignWcs(const Header& header, int width, int height);

} // namespace pathmark::frame
