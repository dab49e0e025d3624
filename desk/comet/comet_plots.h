#pragma once

#include "core/night/comet_colour.h"
#include "core/night/comet_look.h"
#include "desk/plot/plot.h"

#include <vector>

namespace pathmark::desk {

/// Of a comet over the radius: the light within circles, the dust quantity, and how bright the coma is there. Points are picked by their
/// circle.
std::vector<PlotSet> cometSets(const night::CometLook& look);

/// The comet in words: its coma and tail, and the circle in hand; -1: none is.
QString cometWords(const night::CometLook& look, int circle);

QString colourWords(const night::CometColour& colour);

} // namespace pathmark::desk
