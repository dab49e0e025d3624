#include "core/stack/resample.h"

#include "core/base/clones.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace pathmark::stack {
namespace {

constexpr int kStep = 16;

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

    [[nodiscard]] int runs() const { return columns_ - 1; }

    /// The frame pixels at both ends of run r of row firstRow + y; the run ends where the next begins.
    [[nodiscard]] std::array<frame::PixelPos, 2> run(int r, int y) const {
        const int row = y / kStep;
        const double t = static_cast<double>(y % kStep) / kStep;
        const auto between = [t](const frame::PixelPos& a, const frame::PixelPos& b) {
            return frame::PixelPos{a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)};
        };
        return {between(node(row, r), node(row + 1, r)),
                between(node(row, r + 1), node(row + 1, r + 1))};
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

using Run = std::array<float, kStep>;

/// Where the pixels of a run lie in the frame: the first of four columns and rows, and the four weights of each.
struct Taps {
    std::array<int, kStep> x;
    std::array<int, kStep> y;
    std::array<Run, 4> wx;
    std::array<Run, 4> wy;
};

[[gnu::always_inline]] inline void
keysWeights(double from, double to, std::array<int, kStep>& first, std::array<Run, 4>& weights) {
    const double step = (to - from) / kStep;
    for (int k = 0; k < kStep; ++k) {
        const auto i = static_cast<std::size_t>(k);
        const double place = from + k * step;
        const double whole = std::floor(place);
        const auto t = static_cast<float>(place - whole);
        const float t2 = t * t;
        const float t3 = t2 * t;
        first[i] = static_cast<int>(whole) - 1;
        weights[0][i] = -0.5F * t3 + t2 - 0.5F * t;
        weights[1][i] = 1.5F * t3 - 2.5F * t2 + 1.0F;
        weights[2][i] = -1.5F * t3 + 2.0F * t2 + 0.5F * t;
        weights[3][i] = 0.5F * t3 - 0.5F * t2;
    }
}

/// One run of a row; the weights of all its pixels at once, whatever of them is used.
PATHMARK_CLONES
void interpolateRun(const float* pixels,
                    int width,
                    int height,
                    const std::array<frame::PixelPos, 2>& ends,
                    std::span<float> out) {
    Taps taps;
    keysWeights(ends[0].x, ends[1].x, taps.x, taps.wx);
    keysWeights(ends[0].y, ends[1].y, taps.y, taps.wy);
    for (std::size_t k = 0; k < out.size(); ++k) {
        const int x = taps.x[k];
        const int y = taps.y[k];
        if (x < 0 || y < 0 || x + 3 >= width || y + 3 >= height) {
            continue;
        }
        const float* row = pixels + static_cast<std::ptrdiff_t>(y) * width + x;
        float sum = 0.0F;
        for (std::size_t j = 0; j < 4; ++j) {
            // NaN in, NaN out: a defect pixel spoils what it touches and nothing else.
            sum += taps.wy[j][k] * (taps.wx[0][k] * row[0] + taps.wx[1][k] * row[1] +
                                    taps.wx[2][k] * row[2] + taps.wx[3][k] * row[3]);
            row += width;
        }
        out[k] = sum;
    }
}

} // namespace

Result<frame::Image> resampleRows(frame::FitsReader& reader,
                                  const frame::Wcs& wcs,
                                  const PixelGrid& grid,
                                  PlanePos shift,
                                  int firstRow,
                                  int rowCount) {
    frame::Image result(grid.width, rowCount, frame::kNoValue);
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
    const auto isNear = [](const frame::PixelPos& p) {
        return std::isfinite(p.x) && std::abs(p.x) < 1e6 && std::abs(p.y) < 1e6;
    };
    for (int y = 0; y < rowCount; ++y) {
        for (int r = 0; r < mapping.runs(); ++r) {
            auto ends = mapping.run(r, y);
            if (isNear(ends[0]) && isNear(ends[1])) {
                ends[0].y -= y0;
                ends[1].y -= y0;
                const int x = r * kStep;
                interpolateRun(source.pixels().data(),
                               source.width(),
                               source.height(),
                               ends,
                               result.row(y).subspan(
                                   static_cast<std::size_t>(x),
                                   static_cast<std::size_t>(std::min(kStep, grid.width - x))));
            }
        }
    }
    return result;
}

} // namespace pathmark::stack
