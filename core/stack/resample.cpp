#include "core/stack/resample.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace pathmark::stack {
namespace {

constexpr int kStep = 16;
constexpr float kNan = std::numeric_limits<float>::quiet_NaN();

/// Frame pixels at every 16th grid pixel.
class Mapping {
  public:
    Mapping(
        const frame::Wcs& wcs, const PixelGrid& grid, PlanePos shift, int firstRow, int rowCount)
        : columns_((grid.width + kStep - 1) / kStep + 1),
          nodes_(static_cast<std::size_t>(columns_) *
                 static_cast<std::size_t>((rowCount + kStep - 1) / kStep + 1)) {
        constexpr double nan = std::numeric_limits<double>::quiet_NaN();
        for (std::size_t i = 0; i < nodes_.size(); ++i) {
            const int column = static_cast<int>(i) % columns_;
            const int row = static_cast<int>(i) / columns_;
            PlanePos plane = grid.wcs.pixelToPlane(
                {static_cast<double>(column * kStep), static_cast<double>(firstRow + row * kStep)});
            plane.xi += shift.xi;
            plane.eta += shift.eta;
            nodes_[i] = wcs.toPixel(fromTangentPlane(grid.wcs.referenceSky, plane))
                            .value_or(frame::PixelPos{nan, nan});
        }
    }

    /// The frame pixel of the grid pixel (x, firstRow + y).
    [[nodiscard]] frame::PixelPos at(int x, int y) const {
        const int c = x / kStep;
        const int r = y / kStep;
        const double tx = static_cast<double>(x % kStep) / kStep;
        const double ty = static_cast<double>(y % kStep) / kStep;
        const auto& a = node(r, c);
        const auto& b = node(r, c + 1);
        const auto& d = node(r + 1, c);
        const auto& e = node(r + 1, c + 1);
        const auto mix = [&](double p, double q, double s, double t) {
            return (1.0 - ty) * ((1.0 - tx) * p + tx * q) + ty * ((1.0 - tx) * s + tx * t);
        };
        return {mix(a.x, b.x, d.x, e.x), mix(a.y, b.y, d.y, e.y)};
    }

    /// The lowest and highest frame row that any grid pixel here needs.
    [[nodiscard]] std::pair<double, double> rowRange() const {
        double low = 1e9;
        double high = -1e9;
        for (const auto& n : nodes_) {
            low = std::min(low, n.y);
            high = std::max(high, n.y);
        }
        return {low, high};
    }

  private:
    [[nodiscard]] const frame::PixelPos& node(int row, int column) const {
        return nodes_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                      static_cast<std::size_t>(column)];
    }

    int columns_;
    std::vector<frame::PixelPos> nodes_;
};

std::array<float, 4> keysWeights(float t) {
    const float t2 = t * t;
    const float t3 = t2 * t;
    return {-0.5F * t3 + t2 - 0.5F * t,
            1.5F * t3 - 2.5F * t2 + 1.0F,
            -1.5F * t3 + 2.0F * t2 + 0.5F * t,
            0.5F * t3 - 0.5F * t2};
}

float interpolate(const frame::Image& image, double x, double y) {
    const int ix = static_cast<int>(std::floor(x));
    const int iy = static_cast<int>(std::floor(y));
    if (!image.contains(ix - 1, iy - 1) || !image.contains(ix + 2, iy + 2)) {
        return kNan;
    }
    const auto wx = keysWeights(static_cast<float>(x - ix));
    const auto wy = keysWeights(static_cast<float>(y - iy));
    float sum = 0.0F;
    for (int j = 0; j < 4; ++j) {
        const float* row = image.pixels().data() + image.index(ix - 1, iy - 1 + j);
        // NaN in, NaN out: a defect pixel spoils what it touches and nothing else.
        sum += wy[static_cast<std::size_t>(j)] *
               (wx[0] * row[0] + wx[1] * row[1] + wx[2] * row[2] + wx[3] * row[3]);
    }
    return sum;
}

} // namespace

Result<frame::Image> resampleRows(frame::FitsReader& reader,
                                  const frame::Wcs& wcs,
                                  const PixelGrid& grid,
                                  PlanePos shift,
                                  int firstRow,
                                  int rowCount) {
    frame::Image result(grid.width, rowCount, kNan);
    const Mapping mapping(wcs, grid, shift, firstRow, rowCount);
    const auto [low, high] = mapping.rowRange();
    if (!(high >= 0.0) || !(low <= reader.height())) {
        return result;
    }
    const int y0 = std::clamp(static_cast<int>(std::floor(low)) - 2, 0, reader.height() - 1);
    const int y1 = std::clamp(static_cast<int>(std::ceil(high)) + 3, y0 + 1, reader.height());
    frame::Image source(reader.width(), y1 - y0);
    if (auto read = reader.rows(y0, source.pixels()); !read) {
        return fail(read.error());
    }
    for (int y = 0; y < rowCount; ++y) {
        for (int x = 0; x < grid.width; ++x) {
            const frame::PixelPos p = mapping.at(x, y);
            if (std::isfinite(p.x) && std::abs(p.x) < 1e6 && std::abs(p.y) < 1e6) {
                result.at(x, y) = interpolate(source, p.x, p.y - y0);
            }
        }
    }
    return result;
}

} // namespace pathmark::stack
