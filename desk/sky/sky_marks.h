#pragma once

#include "core/frame/wcs.h"
#include "desk/session/night_snapshot.h"

#include <QPointF>
#include <QString>

#include <functional>
#include <vector>

class QPainter;

namespace pathmark::desk {

/// The path of one body over the picture: a tick for each exposure's middle, a chevron at the newest end, notches
/// where it was measured, a lens where its orbit leaves its place open.
struct PathMark {
    QString name;
    std::vector<frame::PixelPos> predicted; ///< in order of time
    std::vector<frame::PixelPos> measured;
    std::vector<night::MeasurementState> states;
    std::vector<frame::PixelPos> lens; ///< outline of where it is to 95 % in the frame in hand
    int tickInHand = -1;               ///< index into predicted of the frame in hand
    bool inHand = false;
    bool candidate = false; ///< found, not predicted: its path is solid
};

/// The paths of the bodies of one series on a picture with that solution.
std::vector<PathMark> pathMarks(const NightSnapshot& night,
                                const frame::Wcs& wcs,
                                const night::SeriesId& series,
                                const night::FrameId& frameInHand,
                                const orbit::BodyId& bodyInHand);

/// The body of a stack on its motion: where it stands, and the way it goes.
std::vector<PathMark> stackMarks(const std::vector<night::MeasurementRecord>& measurements,
                                 const frame::Wcs& wcs);

using ToWidget = std::function<QPointF(frame::PixelPos)>;

/// Draws a path; marks never cover the place they mark.
void drawPathMark(QPainter& painter, const PathMark& mark, const ToWidget& toWidget);

} // namespace pathmark::desk
