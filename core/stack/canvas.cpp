#include "core/stack/canvas.h"

#include "core/base/names.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr Names<CanvasExtent, 3> kExtentNames{{{CanvasExtent::Union, "union"},
                                               {CanvasExtent::Common, "common"},
                                               {CanvasExtent::Body, "body"}}};

constexpr double kMostPixels = 4e8; ///< of a canvas: 1.6 GB an image

/// A rectangle of canvas pixels, edges included.
struct Box {
    double left = 0.0;
    double right = 0.0;
    double bottom = 0.0;
    double top = 0.0;

    [[nodiscard]] double width() const { return right - left; }

    [[nodiscard]] double height() const { return top - bottom; }

    [[nodiscard]] std::vector<frame::PixelPos> corners() const {
        return {{left, bottom}, {right, bottom}, {right, top}, {left, top}};
    }
};

using Outline = std::vector<frame::PixelPos>;

/// The edge of a frame on the canvas, its corners and eight places along each side: distortion bends it.
Outline outlineOn(const PixelGrid& grid, const FrameOutline& frame) {
    constexpr int parts = 8;
    const double right = frame.width - 0.5;
    const double top = frame.height - 0.5;
    const Outline corners{{-0.5, -0.5}, {right, -0.5}, {right, top}, {-0.5, top}};
    Outline outline;
    for (std::size_t side = 0; side < 4; ++side) {
        const auto& a = corners[side];
        const auto& b = corners[(side + 1) % 4];
        for (int k = 0; k < parts; ++k) {
            const double t = static_cast<double>(k) / parts;
            const SkyPos sky =
                frame.place.wcs.toSky({a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)});
            PlanePos plane = toTangentPlane(grid.wcs.referenceSky, sky);
            plane.xi -= frame.place.shift.xi;
            plane.eta -= frame.place.shift.eta;
            outline.push_back(grid.wcs.planeToPixel(plane));
        }
    }
    return outline;
}

Box boxOf(const Outline& outline) {
    Box box{outline[0].x, outline[0].x, outline[0].y, outline[0].y};
    for (const auto& p : outline) {
        box.left = std::min(box.left, p.x);
        box.right = std::max(box.right, p.x);
        box.bottom = std::min(box.bottom, p.y);
        box.top = std::max(box.top, p.y);
    }
    return box;
}

double turn(const frame::PixelPos& a, const frame::PixelPos& b, const frame::PixelPos& p) {
    return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x);
}

/// The part of a polygon that lies within a convex outline.
///
/// Source   Sutherland & Hodgman 1974, CACM 17, 32.
Outline within(Outline polygon, Outline outline) {
    double area = 0.0;
    for (std::size_t i = 0; i < outline.size(); ++i) {
        const auto& b = outline[(i + 1) % outline.size()];
        area += outline[i].x * b.y - outline[i].y * b.x;
    }
    if (area < 0.0) {
        std::reverse(outline.begin(), outline.end());
    }
    for (std::size_t side = 0; side < outline.size() && !polygon.empty(); ++side) {
        const auto& a = outline[side];
        const auto& b = outline[(side + 1) % outline.size()];
        Outline kept;
        for (std::size_t i = 0; i < polygon.size(); ++i) {
            const auto& p = polygon[i];
            const auto& q = polygon[(i + 1) % polygon.size()];
            const double dp = turn(a, b, p);
            const double dq = turn(a, b, q);
            if (dp >= 0.0) {
                kept.push_back(p);
            }
            if ((dp > 0.0 && dq < 0.0) || (dp < 0.0 && dq > 0.0)) {
                const double t = dp / (dp - dq);
                kept.push_back({p.x + t * (q.x - p.x), p.y + t * (q.y - p.y)});
            }
        }
        polygon = std::move(kept);
    }
    return polygon;
}

bool contains(const Outline& convex, const Box& box) {
    const auto corners = box.corners();
    return std::all_of(corners.begin(), corners.end(), [&](const frame::PixelPos& p) {
        int left = 0;
        int right = 0;
        for (std::size_t i = 0; i < convex.size(); ++i) {
            const double side = turn(convex[i], convex[(i + 1) % convex.size()], p);
            left += side > 1e-6 ? 1 : 0;
            right += side < -1e-6 ? 1 : 0;
        }
        return left == 0 || right == 0;
    });
}

/// The bounding box of a convex polygon, drawn in towards its middle until it lies within.
Box boxInside(const Outline& convex) {
    const Box whole = boxOf(convex);
    frame::PixelPos middle{0.0, 0.0};
    for (const auto& p : convex) {
        middle.x += p.x / static_cast<double>(convex.size());
        middle.y += p.y / static_cast<double>(convex.size());
    }
    const auto drawnIn = [&](double share) {
        return Box{middle.x + share * (whole.left - middle.x),
                   middle.x + share * (whole.right - middle.x),
                   middle.y + share * (whole.bottom - middle.y),
                   middle.y + share * (whole.top - middle.y)};
    };
    double inside = 0.0;
    double outside = 1.0;
    if (contains(convex, whole)) {
        return whole;
    }
    for (int i = 0; i < 40; ++i) {
        const double share = 0.5 * (inside + outside);
        (contains(convex, drawnIn(share)) ? inside : outside) = share;
    }
    return drawnIn(inside);
}

Box unionOf(const PixelGrid& grid, std::span<const FrameOutline> frames) {
    Outline all;
    for (const auto& frame : frames) {
        const Outline outline = outlineOn(grid, frame);
        all.insert(all.end(), outline.begin(), outline.end());
    }
    return boxOf(all);
}

Result<Box> commonOf(const PixelGrid& grid, std::span<const FrameOutline> frames) {
    Outline common = outlineOn(grid, frames.front());
    for (const auto& frame : frames.subspan(1)) {
        // Four corners make a convex outline; bent sides are off it by parts of a pixel.
        const Outline outline = outlineOn(grid, frame);
        common = within(std::move(common), {outline[0], outline[8], outline[16], outline[24]});
        if (common.size() < 3) {
            return fail(ErrorId::StackNoCanvas,
                        "The frames do not all overlap: no part of the sky is on every one of "
                        "them. Take --canvas union, or fewer frames.");
        }
    }
    return boxInside(common);
}

Box around(const frame::PixelPos& centre, double width, double height) {
    return {centre.x - 0.5 * width,
            centre.x + 0.5 * width,
            centre.y - 0.5 * height,
            centre.y + 0.5 * height};
}

/// So many whole pixels about a place, to the nearest pixel.
Box wholePixelsAround(const frame::PixelPos& centre, double width, double height) {
    const auto from = [](double middle, double size) {
        return std::round(middle - 0.5 * size + 0.5) - 0.5;
    };
    const double columns = std::max(1.0, std::round(width));
    const double rows = std::max(1.0, std::round(height));
    const double left = from(centre.x, columns);
    const double bottom = from(centre.y, rows);
    return {left, left + columns, bottom, bottom + rows};
}

Result<Box>
boxFor(const PixelGrid& grid, std::span<const FrameOutline> frames, const CanvasChoice& choice) {
    if (choice.crop) {
        const auto centre = grid.wcs.toPixel(choice.crop->centre);
        const double pixel = grid.wcs.scaleArcsec();
        if (!centre || !(choice.crop->width.arcsec() > pixel) ||
            !(choice.crop->height.arcsec() > pixel)) {
            return fail(ErrorId::StackNoCanvas,
                        "The crop is smaller than a pixel or on the other side of the sky.");
        }
        const Box crop = wholePixelsAround(
            *centre, choice.crop->width.arcsec() / pixel, choice.crop->height.arcsec() / pixel);
        const Box all = unionOf(grid, frames);
        if (crop.right < all.left || crop.left > all.right || crop.top < all.bottom ||
            crop.bottom > all.top) {
            return fail(ErrorId::StackNoCanvas, "The crop lies beside all of the frames.");
        }
        return crop;
    }
    switch (choice.extent) {
    case CanvasExtent::Common: return commonOf(grid, frames);
    case CanvasExtent::Body: {
        const double side = choice.bodySide / choice.scale;
        return around({0.0, 0.0}, side, side);
    }
    case CanvasExtent::Union: break;
    }
    return unionOf(grid, frames);
}

/// Cuts a canvas to a shape, about its middle.
void cutTo(double shape, PixelGrid& grid) {
    if (!(shape > 0.0)) {
        return;
    }
    const int width = std::max(1, static_cast<int>(std::lround(shape * grid.height)));
    const int height = std::max(1, static_cast<int>(std::lround(grid.width / shape)));
    if (width < grid.width) {
        const int left = (grid.width - width) / 2; // whole pixels
        grid.wcs.referencePixel.x -= left;
        grid.width = width;
    } else if (height < grid.height) {
        const int below = (grid.height - height) / 2;
        grid.wcs.referencePixel.y -= below;
        grid.height = height;
    }
}

} // namespace

const char* name(CanvasExtent extent) {
    return nameIn(kExtentNames, extent);
}

std::optional<CanvasExtent> canvasExtentNamed(std::string_view name) {
    return valueNamed(kExtentNames, name);
}

Result<PixelGrid>
canvasFor(std::span<const FrameOutline> frames, const SkyPos& target, const CanvasChoice& choice) {
    if (frames.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    if (!(choice.scale > 0.0) || !std::isfinite(choice.scale)) {
        return fail(ErrorId::StackNoCanvas, "The scale of a canvas must be a number above 0.");
    }
    const frame::Wcs& like = frames.front().place.wcs;
    // About pixel (0, 0) at first; moved to where the canvas begins.
    PixelGrid grid = gridAround(target, like, 1, 1);
    const double side = like.scaleArcsec() * kRadiansPerArcsec;
    if (choice.northUp) {
        grid.wcs.cd = {-side, 0.0, 0.0, side};
    }
    for (double& element : grid.wcs.cd) {
        element *= choice.scale;
    }
    const auto box = boxFor(grid, frames, choice);
    if (!box) {
        return fail(box.error());
    }
    if (!(box->width() * box->height() <= kMostPixels)) {
        return fail(ErrorId::StackNoCanvas,
                    fmt::format("A canvas of {:.0f} x {:.0f} pixels is too large; take a crop, "
                                "larger pixels, or frames of one place of the sky.",
                                box->width(),
                                box->height()));
    }
    // Edges of pixels lie at half numbers; a hair's breadth beyond one is no pixel more.
    constexpr double hair = 1e-3;
    const double left = std::floor(box->left + 0.5 + hair);
    const double bottom = std::floor(box->bottom + 0.5 + hair);
    grid.width = std::max(1, static_cast<int>(std::ceil(box->right - 0.5 - hair) - left) + 1);
    grid.height = std::max(1, static_cast<int>(std::ceil(box->top - 0.5 - hair) - bottom) + 1);
    grid.wcs.referencePixel = {-left, -bottom};
    cutTo(choice.shape, grid);
    return grid;
}

} // namespace pathmark::stack
