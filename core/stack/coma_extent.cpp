#include "core/stack/coma_extent.h"

#include "core/base/robust.h"
#include "core/frame/open_frame.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr double kGrowth = 1.12; ///< from ring to ring

struct Ring {
    double radius = 0.0; ///< outer
    double level = 0.0;  ///< median
    double error = 0.0;  ///< of the median
};

/// The rings that have enough pixels on the frame; `rows` begins at row `first`.
std::vector<Ring>
ringsAbout(const frame::Image& rows, int first, frame::PixelPos nucleus, double farthest) {
    std::vector<double> edges{3.0};
    while (edges.back() < farthest) {
        edges.push_back(std::max(edges.back() + 2.0, edges.back() * kGrowth));
    }
    std::vector<std::vector<double>> values(edges.size());
    for (int y = 0; y < rows.height(); ++y) {
        for (int x = 0; x < rows.width(); ++x) {
            const double r = std::hypot(x - nucleus.x, y + first - nucleus.y);
            const float v = rows.at(x, y);
            if (r < edges.back() && std::isfinite(v)) {
                const auto ring = std::upper_bound(edges.begin(), edges.end(), r);
                values[static_cast<std::size_t>(ring - edges.begin())].push_back(
                    static_cast<double>(v));
            }
        }
    }
    std::vector<Ring> rings;
    for (std::size_t i = 1; i < edges.size(); ++i) {
        const auto count = static_cast<double>(values[i].size());
        if (count < 12.0) {
            continue;
        }
        const RobustMoments moments = medianAndDeviation(std::move(values[i]));
        // The error of a median is 1.25 times that of a mean.
        rings.push_back({edges[i], moments.centre, 1.25 * moments.sigma / std::sqrt(count)});
    }
    return rings;
}

} // namespace

Result<double> comaExtent(frame::FrameSource& reader, frame::PixelPos nucleus, double fwhm) {
    const double farthest = std::min(reader.width(), reader.height()) / 3.0;
    const int first = std::max(0, static_cast<int>(nucleus.y - farthest) - 1);
    const int end = std::min(reader.height(), static_cast<int>(nucleus.y + farthest) + 2);
    if (end <= first) {
        return 0.0;
    }
    frame::Image rows(reader.width(), end - first);
    if (auto read = reader.rows(first, rows.pixels()); !read) {
        return fail(read.error());
    }
    const auto rings = ringsAbout(rows, first, nucleus, farthest);
    if (rings.size() < 8) {
        return 0.0;
    }
    std::vector<double> outer;
    for (std::size_t i = rings.size() - rings.size() / 4; i < rings.size(); ++i) {
        outer.push_back(rings[i].level);
    }
    const double sky = medianInPlace(std::span(outer));
    double extent = 0.0;
    int dark = 0;
    for (const Ring& ring : rings) {
        dark = ring.level - sky > 3.0 * ring.error ? 0 : dark + 1;
        if (dark == 2) {
            break;
        }
        extent = dark == 0 ? ring.radius : extent;
    }
    return extent > 3.0 * fwhm ? 4.0 / 3.0 * extent : 0.0;
}

Result<bool> protectComa(StackFrame& frame, frame::PixelPos nucleus, double fwhmPixels) {
    auto reader = frame::openFrame(frame.path);
    if (!reader) {
        return fail(reader.error());
    }
    const auto extent = comaExtent(**reader, nucleus, fwhmPixels);
    if (!extent) {
        return fail(extent.error());
    }
    if (*extent > 0.0) {
        frame.protect.push_back({nucleus, *extent});
    }
    return true;
}

} // namespace pathmark::stack
