#pragma once

#include "core/frame/image.h"
#include "desk/sky/sky_marks.h"

#include <QRectF>

#include <vector>

class QPainter;

namespace pathmark::desk {

/// What a star or source of the picture is, by its mark.
enum class StarMarkKind {
    Matched,    ///< four short corner ticks
    Rejected,   ///< the same with the corners crossed through
    Unclear,    ///< two of the four ticks
    SourceOnly, ///< a short bar below
    StarOnly,   ///< a small hollow lozenge
};

struct StarMark {
    StarMarkKind kind = StarMarkKind::Matched;
    frame::PixelPos place; ///< on the picture
    bool chosen = false;
    double weight = 0.0; ///< 0 to 1: brighter stars of the catalogue have larger lozenges
};

/// Draws marks around their places, never over them; `room` is the free space about a place in screen pixels.
void drawStarMarks(QPainter& painter,
                   const std::vector<StarMark>& marks,
                   const ToWidget& toWidget,
                   const QRectF& seen,
                   double room);

} // namespace pathmark::desk
