#include "core/picture/annotation.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::picture {
namespace {

constexpr int kPixelsForADot = 400;  ///< of a picture's width for each pixel of a letter's dot
constexpr double kMargin = 8.0;      ///< dots
constexpr double kScaleShare = 0.25; ///< of the width that a bar is at most
constexpr double kArm = 22.0;        ///< dots that an arm of the compass is long
constexpr double kFreeRadius = 10.0; ///< dots about the body
constexpr Ink kStripInk{0.82F, 0.82F, 0.82F};

void drawScale(Drawing& drawing, const frame::Wcs& wcs, int width, double bottom, int size) {
    const double scale = wcs.scaleArcsec();
    const RoundLength length = roundLength(kScaleShare * width * scale);
    const double pixels = length.arcsec / scale;
    const frame::PixelPos left{kMargin * size, bottom + kMargin * size};
    const frame::PixelPos right{left.x + pixels, left.y};
    drawing.line(left, right, size, kMarkInk);
    for (const auto& end : {left, right}) {
        drawing.line({end.x, end.y - 2.0 * size}, {end.x, end.y + 2.0 * size}, size, kMarkInk);
    }
    const int wide = Drawing::widthOf(length.name, size);
    drawing.write(length.name,
                  {std::max(left.x, left.x + 0.5 * (pixels - wide)), left.y + 4.0 * size},
                  size,
                  kMarkInk);
}

void drawCompass(Drawing& drawing, const frame::Wcs& wcs, const frame::PixelPos& corner, int size) {
    const double arm = kArm * size;
    const frame::PixelPos middle{corner.x - arm - 2.0 * kMargin * size,
                                 corner.y - arm - 2.0 * kMargin * size};
    const SkyPos sky = wcs.toSky(middle);
    const double arcsec = arm * wcs.scaleArcsec();
    for (const auto& [name, east, north] :
         {std::tuple{"N", 0.0, arcsec}, std::tuple{"E", arcsec, 0.0}}) {
        const auto end = wcs.toPixel(offsetBy(sky, east, north));
        if (!end) {
            continue;
        }
        drawing.line(middle, *end, size, kMarkInk);
        const double along = std::hypot(end->x - middle.x, end->y - middle.y);
        const double ux = (end->x - middle.x) / along;
        const double uy = (end->y - middle.y) / along;
        drawing.write(
            name,
            {end->x + 6.0 * size * ux - 2.5 * size, end->y + 6.0 * size * uy - 3.5 * size},
            size,
            kMarkInk);
    }
}

/// The picture with an empty strip beneath.
void addStrip(ColourPicture& shown, int height) {
    for (frame::Image& plane : shown.planes) {
        frame::Image higher(plane.width(), plane.height() + height, 0.0F);
        for (int y = 0; y < plane.height(); ++y) {
            std::copy(plane.row(y).begin(), plane.row(y).end(), higher.row(y + height).begin());
        }
        plane = std::move(higher);
    }
}

/// As much of a text as has room.
std::string fitted(std::string text, int room, int size) {
    while (!text.empty() && Drawing::widthOf(text, size) > room) {
        text.pop_back();
    }
    return text;
}

} // namespace

RoundLength roundLength(double mostArcsec) {
    struct Unit {
        double arcsec;
        const char* name;
    };

    constexpr std::array kUnits{Unit{3600.0, " DEG"}, Unit{60.0, "'"}, Unit{1.0, "\""}};
    constexpr std::array kSteps{30, 20, 15, 10, 5, 3, 2, 1};
    for (const Unit& unit : kUnits) {
        for (const int step : kSteps) {
            if (step * unit.arcsec <= mostArcsec) {
                return {step * unit.arcsec, fmt::format("{}{}", step, unit.name)};
            }
        }
    }
    return {1.0, "1\""};
}

int letterSize(int width) {
    return std::max(1, static_cast<int>(std::lround(static_cast<double>(width) / kPixelsForADot)));
}

void drawPath(Drawing& drawing,
              std::span<const frame::PixelPos> path,
              const frame::PixelPos& body,
              int size) {
    const auto isFree = [&](const frame::PixelPos& p) {
        return std::hypot(p.x - body.x, p.y - body.y) < kFreeRadius * size;
    };
    constexpr int kParts =
        32; // of the way between two frames, so that it can end at the circle left free
    for (std::size_t i = 1; i < path.size(); ++i) {
        const frame::PixelPos& a = path[i - 1];
        const frame::PixelPos& b = path[i];
        const auto between = [&](int k) {
            const double t = static_cast<double>(k) / kParts;
            return frame::PixelPos{a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)};
        };
        // One line for each stretch that is not left free.
        int from = -1;
        for (int k = 0; k <= kParts; ++k) {
            const bool isDrawn = k < kParts && !isFree(between(k)) && !isFree(between(k + 1));
            if (isDrawn && from < 0) {
                from = k;
            } else if (!isDrawn && from >= 0) {
                drawing.line(between(from), between(k), size, kMarkInk);
                from = -1;
            }
        }
    }
}

void annotate(ColourPicture& shown, const Marks& marks, const MarkedSky& sky) {
    const int size = letterSize(shown.width());
    {
        Drawing drawing(shown);
        if (marks.path) {
            std::vector<frame::PixelPos> path;
            for (const SkyPos& place : sky.path) {
                if (const auto at = sky.wcs.toPixel(place)) {
                    path.push_back(*at);
                }
            }
            drawPath(drawing, path, sky.body, size);
        }
        if (marks.scale) {
            drawScale(drawing, sky.wcs, shown.width(), sky.bottom, size);
        }
        if (marks.compass) {
            drawCompass(drawing,
                        sky.wcs,
                        {static_cast<double>(shown.width()), static_cast<double>(shown.height())},
                        size);
        }
    }
    if (marks.caption) {
        addStrip(shown, Drawing::heightOf(size) + 2 * static_cast<int>(kMargin) * size / 2);
        Drawing drawing(shown);
        const int margin = static_cast<int>(kMargin) * size;
        drawing.write(fitted(sky.caption, shown.width() - 2 * margin, size),
                      {static_cast<double>(margin), 0.5 * margin},
                      size,
                      kStripInk);
    }
}

} // namespace pathmark::picture
