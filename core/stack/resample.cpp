#include "core/stack/resample.h"

#include "core/stack/resample_kernels.h"
#include "core/stack/sky_levels.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr double kNowhere = std::numeric_limits<double>::quiet_NaN();
constexpr double kWidens =
    1.1; ///< pixels of the grid this much larger than the frame's widen the kernel

bool isNear(const frame::PixelPos& p) {
    return std::isfinite(p.x) && std::abs(p.x) < 1e6 && std::abs(p.y) < 1e6;
}

/// Rows of a frame.
struct RowRange {
    double low = 0.0;
    double high = 0.0;

    [[nodiscard]] double count() const { return std::max(0.0, high - low); }
};

/// Frame pixels at every 16th pixel of a tile.
class Mapping {
  public:
    Mapping(const PixelMap& map, const Tile& tile)
        : columns_((tile.width + kRun - 1) / kRun + 1),
          nodes_(static_cast<std::size_t>(columns_) *
                 static_cast<std::size_t>((tile.height + kRun - 1) / kRun + 1)) {
        for (std::size_t i = 0; i < nodes_.size(); ++i) {
            const int column = static_cast<int>(i) % columns_;
            const int row = static_cast<int>(i) / columns_;
            nodes_[i] = map({static_cast<double>(tile.x + column * kRun),
                             static_cast<double>(tile.y + row * kRun)});
        }
        along_.resize(static_cast<std::size_t>(columns_));
    }

    [[nodiscard]] int runs() const { return columns_ - 1; }

    /// The frame pixels at the ends of the runs of row y of the tile, until the next is asked for.
    [[nodiscard]] std::span<const frame::PixelPos> alongRow(int y) {
        const int row = y / kRun;
        const double t = static_cast<double>(y % kRun) / kRun;
        for (int column = 0; column < columns_; ++column) {
            const frame::PixelPos& a = node(row, column);
            const frame::PixelPos& b = node(row + 1, column);
            along_[static_cast<std::size_t>(column)] = {a.x + t * (b.x - a.x),
                                                        a.y + t * (b.y - a.y)};
        }
        return along_;
    }

    /// Over the cell of 16 by 16 pixels that a run lies in.
    [[nodiscard]] Slopes slopes(int r, int y) const {
        const int row = y / kRun;
        const auto& a = node(row, r);
        const auto& b = node(row, r + 1);
        const auto& c = node(row + 1, r);
        const auto& d = node(row + 1, r + 1);
        constexpr double scale = 0.5 / kRun;
        return {{scale * (b.x - a.x + d.x - c.x), scale * (b.y - a.y + d.y - c.y)},
                {scale * (c.x - a.x + d.x - b.x), scale * (c.y - a.y + d.y - b.y)}};
    }

    /// The lowest and highest frame row that any pixel of these rows of the tile needs.
    [[nodiscard]] RowRange rowRange(int firstRow, int endRow) const {
        RowRange range{1e9, -1e9};
        for (int row = firstRow / kRun; row <= (endRow + kRun - 1) / kRun; ++row) {
            for (int column = 0; column < columns_; ++column) {
                const double y = node(row, column).y;
                range.low = std::min(range.low, y);
                range.high = std::max(range.high, y);
            }
        }
        return range;
    }

  private:
    [[nodiscard]] const frame::PixelPos& node(int row, int column) const {
        return nodes_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                      static_cast<std::size_t>(column)];
    }

    int columns_;
    std::vector<frame::PixelPos> nodes_;
    std::vector<frame::PixelPos> along_;
};

frame::PixelPos alongRun(const RunEnds& ends, std::size_t k) {
    const double t = static_cast<double>(k) / kRun;
    return {ends[0].x + t * (ends[1].x - ends[0].x), ends[0].y + t * (ends[1].y - ends[0].y)};
}

/// The values of one run of the tile, by whichever way.
void fillRun(const frame::Image& source,
             const RunEnds& ends,
             const Slopes& slopes,
             const Resampling& how,
             float scale,
             std::span<float> out) {
    const double stretch = std::sqrt(slopes.area());
    const float factor = scale * static_cast<float>(slopes.area());
    if (how.drop > 0.0) {
        for (std::size_t k = 0; k < out.size(); ++k) {
            out[k] = factor * meanUnderDrops(source, alongRun(ends, k), slopes, how.drop);
        }
    } else if (stretch > kWidens) {
        for (std::size_t k = 0; k < out.size(); ++k) {
            out[k] = factor * interpolateAround(how.kernel, source, alongRun(ends, k), stretch);
        }
    } else if (!interpolateRun(how.kernel, source, ends, factor, out)) {
        for (std::size_t k = 0; k < out.size(); ++k) {
            if (!std::isfinite(out[k])) {
                out[k] = factor * interpolateAround(how.kernel, source, alongRun(ends, k), 1.0);
            }
        }
    }
}

/// Rows of a frame that a tile needs, the sky taken off.
struct SourceRows {
    frame::Image image;
    int first = 0;
};

void leaveOut(const LeftOutDisc& disc, SourceRows& source) {
    frame::Image& image = source.image;
    const double cy = disc.centre.y - source.first;
    const int bottom = std::max(0, static_cast<int>(std::ceil(cy - disc.radius)));
    for (int y = bottom; y < image.height() && y <= cy + disc.radius; ++y) {
        const double half = std::sqrt(disc.radius * disc.radius - (y - cy) * (y - cy));
        const int left = std::max(0, static_cast<int>(std::ceil(disc.centre.x - half)));
        for (int x = left; x < image.width() && x <= disc.centre.x + half; ++x) {
            image.at(x, y) = frame::kNoValue;
        }
    }
}

Result<bool> readRows(frame::FrameSource& reader,
                      const RowRange& range,
                      double reach,
                      const Before& before,
                      SourceRows& source) {
    const int height = reader.height();
    source.first = std::clamp(static_cast<int>(std::floor(range.low - reach)), 0, height - 1);
    const int end =
        std::clamp(static_cast<int>(std::ceil(range.high + reach)) + 1, source.first + 1, height);
    if (source.image.width() != reader.width() || source.image.height() != end - source.first) {
        source.image = frame::Image(reader.width(), end - source.first);
    }
    if (auto read = reader.rows(source.first, source.image.pixels()); !read) {
        return fail(read.error());
    }
    if (before.sky != nullptr) {
        for (int y = 0; y < source.image.height(); ++y) {
            before.sky->takeOff(source.first + y, source.image.row(y));
        }
    }
    for (const LeftOutDisc& disc : before.leftOut) {
        leaveOut(disc, source);
    }
    return true;
}

/// Rows of a tile, to be filled from one piece of the frame.
struct Piece {
    int first = 0;
    int end = 0;
    RowRange range;
};

constexpr int kPieceRows = 64;    ///< such a piece stays in the cache
constexpr double kMostRead = 1.6; ///< times the rows of the frame that may be read for pieces

/// A tile in pieces; as one where the frame is turned so far that each piece needs most of its rows.
std::vector<Piece> piecesOf(const Mapping& mapping, const Tile& tile, double reach) {
    const Piece whole{0, tile.height, mapping.rowRange(0, tile.height)};
    std::vector<Piece> pieces;
    double rows = 0.0;
    for (int first = 0; first < tile.height; first += kPieceRows) {
        const int end = std::min(tile.height, first + kPieceRows);
        pieces.push_back({first, end, mapping.rowRange(first, end)});
        rows += pieces.back().range.count() + 2.0 * reach;
    }
    return rows > kMostRead * (whole.range.count() + 2.0 * reach) ? std::vector{whole} : pieces;
}

void fillPiece(const SourceRows& source,
               Mapping& mapping,
               const Piece& piece,
               const Resampling& how,
               float scale,
               frame::Image& out) {
    std::vector<Slopes> slopes(static_cast<std::size_t>(mapping.runs()));
    for (int y = piece.first; y < piece.end; ++y) {
        if (y == piece.first || y % kRun == 0) {
            for (int r = 0; r < mapping.runs(); ++r) {
                slopes[static_cast<std::size_t>(r)] = mapping.slopes(r, y);
            }
        }
        const auto row = out.row(y);
        const auto nodes = mapping.alongRow(y);
        for (std::size_t r = 0; r < slopes.size(); ++r) {
            if (!isNear(nodes[r]) || !isNear(nodes[r + 1])) {
                continue;
            }
            const RunEnds ends{frame::PixelPos{nodes[r].x, nodes[r].y - source.first},
                               frame::PixelPos{nodes[r + 1].x, nodes[r + 1].y - source.first}};
            const std::size_t x = r * kRun;
            fillRun(source.image,
                    ends,
                    slopes[r],
                    how,
                    scale,
                    row.subspan(x, std::min<std::size_t>(kRun, row.size() - x)));
        }
    }
}

} // namespace

PixelMap fromGrid(const FramePlace& place, const PixelGrid& grid) {
    return [place, grid](const frame::PixelPos& pixel) {
        PlanePos plane = grid.wcs.pixelToPlane(pixel);
        plane.xi += place.shift.xi;
        plane.eta += place.shift.eta;
        return place.wcs.toPixel(fromTangentPlane(grid.wcs.referenceSky, plane))
            .value_or(frame::PixelPos{kNowhere, kNowhere});
    };
}

PixelMap toGrid(const FramePlace& place, const PixelGrid& grid) {
    return [place, grid](const frame::PixelPos& pixel) {
        PlanePos plane = toTangentPlane(grid.wcs.referenceSky, place.wcs.toSky(pixel));
        plane.xi -= place.shift.xi;
        plane.eta -= place.shift.eta;
        return std::isfinite(plane.xi) ? grid.wcs.planeToPixel(plane)
                                       : frame::PixelPos{kNowhere, kNowhere};
    };
}

ImageSource::ImageSource(const frame::Image& image) : image_(image) {
    width_ = image.width();
    height_ = image.height();
}

Result<bool> ImageSource::rows(int firstRow, std::span<float> out) {
    const auto from = image_.pixels().subspan(image_.index(0, firstRow), out.size());
    std::copy(from.begin(), from.end(), out.begin());
    return true;
}

Result<bool> resampleInto(frame::Image& out,
                          frame::FrameSource& reader,
                          const PixelMap& map,
                          const Tile& tile,
                          const Resampling& how,
                          const Before& before) {
    if (out.width() != tile.width || out.height() != tile.height) {
        out = frame::Image(tile.width, tile.height);
    }
    std::fill(out.pixels().begin(), out.pixels().end(), frame::kNoValue);
    Mapping mapping(map, tile);
    const double area = mapping.slopes(0, 0).area();
    const double stretch = std::isfinite(area) ? std::max(1.0, std::sqrt(area)) : 1.0;
    const double reach = 1.2 * stretch * reachOf(how.kernel);
    SourceRows source;
    for (const Piece& piece : piecesOf(mapping, tile, reach)) {
        if (!(piece.range.high >= -1.0) || !(piece.range.low <= reader.height())) {
            continue;
        }
        if (auto read = readRows(reader, piece.range, reach, before, source); !read) {
            return fail(read.error());
        }
        fillPiece(source, mapping, piece, how, before.scale, out);
    }
    return true;
}

Result<frame::Image> resample(frame::FrameSource& reader,
                              const PixelMap& map,
                              const Tile& tile,
                              const Resampling& how,
                              const Before& before) {
    frame::Image result;
    auto done = resampleInto(result, reader, map, tile, how, before);
    return done ? Result<frame::Image>(std::move(result)) : fail(done.error());
}

namespace {

/// About the middle of the grid.
Slopes slopesInTheMiddle(const FramePlace& place, const PixelGrid& grid) {
    const double x = 0.5 * (grid.width - 1);
    const double y = 0.5 * (grid.height - 1);
    const PixelMap map = fromGrid(place, grid);
    const auto at = map({x, y});
    const auto right = map({x + 1.0, y});
    const auto up = map({x, y + 1.0});
    return {{right.x - at.x, right.y - at.y}, {up.x - at.x, up.y - at.y}};
}

} // namespace

double pixelArea(const FramePlace& place, const PixelGrid& grid) {
    const double area = slopesInTheMiddle(place, grid).area();
    return std::isfinite(area) ? area : 0.0;
}

bool isTurnedSideways(const FramePlace& place, const PixelGrid& grid) {
    const Slopes slopes = slopesInTheMiddle(place, grid);
    return std::abs(slopes.alongX.y) > std::abs(slopes.alongY.y);
}

} // namespace pathmark::stack
