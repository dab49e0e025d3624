#include "core/detect/matched_filter.h"

#include "core/base/parallel.h"
#include "core/detect/filter_kernels.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>
#include <tuple>

namespace pathmark::detect {
namespace {

constexpr int kTileRows = 96;
constexpr int kTileColumns = 510; // with one more on either side whole blocks
constexpr int kScan = 256;        // pixels looked at at once for anything above the threshold

/// One half of a Gaussian, from its middle outward to 3 sigma.
std::vector<float> halfGaussian(double fwhm) {
    const double sigma = fwhm / 2.3548200450309493;
    const int half = std::max(1, static_cast<int>(std::ceil(3.0 * sigma)));
    std::vector<float> kernel;
    for (int i = 0; i <= half; ++i) {
        kernel.push_back(static_cast<float>(std::exp(-0.5 * i * i / (sigma * sigma))));
    }
    return kernel;
}

/// 1 / root of the kernel's sum of squares in two dimensions.
float normOf(const std::vector<float>& half) {
    double squares = 0.0;
    for (std::size_t i = 0; i < half.size(); ++i) {
        squares += (i == 0 ? 1.0 : 2.0) * static_cast<double>(half[i] * half[i]);
    }
    return static_cast<float>(1.0 / squares);
}

/// A part of the frame whose rows fit into the processor's own memory while they are filtered.
struct Tile {
    int x0, x1, y0, y1; ///< the end not included
};

/// Filters the rows of a tile one after the other; the rows convolved along x are kept as long as they are needed.
class TileFilter {
  public:
    TileFilter(const frame::Image& image,
               const Background& sky,
               const std::vector<float>& kernel,
               int x0,
               int x1)
        : image_(image), sky_(sky), kernel_(kernel), half_(static_cast<int>(kernel.size()) - 1),
          norm_(normOf(kernel)), x0_(x0), width_(x1 - x0),
          whole_((width_ + kFilterBlock - 1) / kFilterBlock * kFilterBlock),
          first_(std::max(0, x0 - half_)), end_(std::min(image.width(), x1 + half_)),
          level_(static_cast<std::size_t>(end_ - first_)),
          noise_(static_cast<std::size_t>(whole_), 0.0F),
          padded_(static_cast<std::size_t>(whole_ + 2 * half_), 0.0F),
          empty_(static_cast<std::size_t>(whole_), 0.0F),
          ring_(static_cast<std::size_t>(2 * half_ + 1)), held_(ring_.size(), -1) {
        for (auto& row : ring_) {
            row.resize(static_cast<std::size_t>(whole_));
        }
        rows_.resize(ring_.size());
    }

    /// Floats that filterRow writes: the tile's columns and what fills the last block.
    [[nodiscard]] int rowSize() const { return whole_; }

    void filterRow(int y, float* out) {
        for (int j = -half_; j <= half_; ++j) {
            const int row = y + j;
            rows_[static_cast<std::size_t>(j + half_)] =
                row < 0 || row >= image_.height() ? empty_.data() : across(row);
        }
        sky_.noiseRow(y, std::span(noise_).first(static_cast<std::size_t>(width_)), x0_);
        convolveColumns(rows_.data(), kernel_.data(), half_, norm_, noise_.data(), out, whole_);
    }

  private:
    const float* across(int y) {
        const auto slot = static_cast<std::size_t>(y) % ring_.size();
        if (held_[slot] != y) {
            sky_.levelRow(y, level_, first_);
            subtractRow(image_.row(y).data() + first_,
                        level_.data(),
                        padded_.data() + (first_ - x0_ + half_),
                        end_ - first_);
            convolveRow(padded_.data(), kernel_.data(), half_, ring_[slot].data(), whole_);
            held_[slot] = y;
        }
        return ring_[slot].data();
    }

    const frame::Image& image_;
    const Background& sky_;
    const std::vector<float>& kernel_;
    int half_;
    float norm_;
    int x0_;
    int width_;
    int whole_; ///< the width in whole blocks
    int first_; ///< pixels that the frame has of the row and its surroundings
    int end_;
    std::vector<float> level_;
    std::vector<float> noise_;
    std::vector<float> padded_;
    std::vector<float> empty_;
    std::vector<std::vector<float>> ring_;
    std::vector<int> held_;
    std::vector<const float*> rows_;
};

/// Adds the peaks of a row between its neighbours; the rows begin at pixel x0.
void peaksOfRow(const float* above,
                const float* row,
                const float* below,
                int x0,
                int y,
                int first,
                int end,
                float threshold,
                std::vector<Peak>& peaks) {
    for (int block = first; block < end; block += kScan) {
        const int stop = std::min(block + kScan, end);
        if (!anyAbove(row + block, stop - block, threshold)) {
            continue;
        }
        for (int x = block; x < stop; ++x) {
            const float v = row[x];
            // Of equal neighbours the first one counts.
            if (v > threshold && above[x - 1] < v && above[x] < v && above[x + 1] < v &&
                row[x - 1] < v && row[x + 1] <= v && below[x - 1] <= v && below[x] <= v &&
                below[x + 1] <= v) {
                peaks.push_back({x0 + x, y, v});
            }
        }
    }
}

std::vector<Tile> tilesOf(int width, int height, int border) {
    std::vector<Tile> tiles;
    for (int y = border; y < height - border; y += kTileRows) {
        for (int x = border; x < width - border; x += kTileColumns) {
            tiles.push_back({x,
                             std::min(x + kTileColumns, width - border),
                             y,
                             std::min(y + kTileRows, height - border)});
        }
    }
    return tiles;
}

std::vector<Peak> gather(const std::vector<std::vector<Peak>>& bands) {
    std::vector<Peak> peaks;
    for (const auto& band : bands) {
        peaks.insert(peaks.end(), band.begin(), band.end());
    }
    std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) {
        return std::tuple(-a.snr, a.y, a.x) < std::tuple(-b.snr, b.y, b.x);
    });
    return peaks;
}

/// The filtered frame averaged along the trail and scaled to the signal-to-noise of a trailed point.
frame::Image smearAlong(const frame::Image& filtered, const FilterForm& form) {
    const double length = std::hypot(form.trailX, form.trailY);
    const int steps = std::max(2, static_cast<int>(std::ceil(2.0 * length / form.fwhm)));
    std::vector<std::pair<int, int>> shifts;
    for (int k = 0; k < steps; ++k) {
        const double along = (k + 0.5) / steps - 0.5;
        shifts.emplace_back(static_cast<int>(std::lround(along * form.trailX)),
                            static_cast<int>(std::lround(along * form.trailY)));
    }
    // Noise of two shifted copies is correlated as the Gaussian is with itself.
    const double sigma = form.fwhm / 2.3548200450309493;
    double variance = 0.0;
    for (const auto& a : shifts) {
        for (const auto& b : shifts) {
            const double square =
                std::pow(a.first - b.first, 2.0) + std::pow(a.second - b.second, 2.0);
            variance += std::exp(-0.25 * square / (sigma * sigma));
        }
    }
    const auto scale = static_cast<float>(1.0 / std::sqrt(variance));
    frame::Image smeared(filtered.width(), filtered.height());
    parallelFor(static_cast<std::size_t>(filtered.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto out = smeared.row(y);
        for (const auto& [dx, dy] : shifts) {
            if (y + dy < 0 || y + dy >= filtered.height()) {
                continue;
            }
            const auto in = filtered.row(y + dy);
            for (int x = std::max(0, -dx); x < filtered.width() - std::max(0, dx); ++x) {
                out[static_cast<std::size_t>(x)] += scale * in[static_cast<std::size_t>(x + dx)];
            }
        }
    });
    return smeared;
}

} // namespace

frame::Image filterForPoints(const frame::Image& image, const Background& sky, double fwhm) {
    const std::vector<float> kernel = halfGaussian(fwhm);
    frame::Image result(image.width(), image.height());
    const auto tiles = tilesOf(image.width(), image.height(), 0);
    parallelFor(tiles.size(), [&](std::size_t t) {
        TileFilter filter(image, sky, kernel, tiles[t].x0, tiles[t].x1);
        std::vector<float> row(static_cast<std::size_t>(filter.rowSize()));
        for (int y = tiles[t].y0; y < tiles[t].y1; ++y) {
            filter.filterRow(y, row.data());
            std::copy_n(
                row.begin(), tiles[t].x1 - tiles[t].x0, result.row(y).begin() + tiles[t].x0);
        }
    });
    return result;
}

std::vector<Peak> peaksIn(const frame::Image& filtered, float threshold, int border) {
    const auto tiles = tilesOf(filtered.width(), filtered.height(), border);
    std::vector<std::vector<Peak>> found(tiles.size());
    parallelFor(tiles.size(), [&](std::size_t t) {
        for (int y = tiles[t].y0; y < tiles[t].y1; ++y) {
            peaksOfRow(filtered.row(y - 1).data(),
                       filtered.row(y).data(),
                       filtered.row(y + 1).data(),
                       0,
                       y,
                       tiles[t].x0,
                       tiles[t].x1,
                       threshold,
                       found[t]);
        }
    });
    return gather(found);
}

frame::Image
filterForForm(const frame::Image& image, const Background& sky, const FilterForm& form) {
    frame::Image filtered = filterForPoints(image, sky, form.fwhm);
    return form.isTrail() ? smearAlong(filtered, form) : filtered;
}

std::vector<Peak> findPoints(const frame::Image& image,
                             const Background& sky,
                             const FilterForm& form,
                             float threshold,
                             int border) {
    border = std::max(1, border);
    if (form.isTrail()) {
        return peaksIn(filterForForm(image, sky, form), threshold, border);
    }
    const std::vector<float> kernel = halfGaussian(form.fwhm);
    const auto tiles = tilesOf(image.width(), image.height(), border);
    std::vector<std::vector<Peak>> found(tiles.size());
    parallelFor(tiles.size(), [&](std::size_t t) {
        // One pixel more around: a peak exceeds its neighbours.
        const Tile& tile = tiles[t];
        const int x0 = tile.x0 - 1;
        TileFilter filter(image, sky, kernel, x0, tile.x1 + 1);
        std::array<std::vector<float>, 3> rows;
        for (auto& row : rows) {
            row.resize(static_cast<std::size_t>(filter.rowSize()));
        }
        const auto slot = [&](int y) { return rows[static_cast<std::size_t>(y % 3)].data(); };
        filter.filterRow(tile.y0 - 1, slot(tile.y0 - 1));
        filter.filterRow(tile.y0, slot(tile.y0));
        for (int y = tile.y0; y < tile.y1; ++y) {
            filter.filterRow(y + 1, slot(y + 1));
            peaksOfRow(
                slot(y - 1), slot(y), slot(y + 1), x0, y, 1, tile.x1 - x0, threshold, found[t]);
        }
    });
    return gather(found);
}

} // namespace pathmark::detect
