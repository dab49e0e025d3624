#include "core/detect/background.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"

#include <algorithm>
#include <cmath>

namespace pathmark::detect {

Background::Background(const frame::Image& image, int cell)
    : cell_(std::max(8, std::min({cell, image.width(), image.height()}))),
      columns_(std::max(1, (image.width() + cell_ / 2) / cell_)),
      rows_(std::max(1, (image.height() + cell_ / 2) / cell_)) {
    const auto cells = static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_);
    levels_.resize(cells);
    noises_.resize(cells);
    parallelFor(cells, [&](std::size_t index) {
        const int column = static_cast<int>(index) % columns_;
        const int row = static_cast<int>(index) / columns_;
        // The last cells take the remainder, so that no pixel is left out.
        const int x1 = column + 1 == columns_ ? image.width() : (column + 1) * cell_;
        const int y1 = row + 1 == rows_ ? image.height() : (row + 1) * cell_;
        std::vector<float> values;
        values.reserve(static_cast<std::size_t>(cell_ * cell_));
        // Like the black fields of a chessboard: half the work, and no row or column is favoured.
        for (int y = row * cell_; y < y1; ++y) {
            for (int x = column * cell_ + y % 2; x < x1; x += 2) {
                values.push_back(image.at(x, y));
            }
        }
        const RobustMoments moments = clippedMoments(values, 3.0);
        levels_[index] = static_cast<float>(moments.centre);
        noises_[index] = static_cast<float>(moments.sigma);
    });
    smooth(levels_);
    smooth(noises_);
}

void Background::smooth(std::vector<float>& values) const {
    std::vector<float> result(values.size());
    for (int row = 0; row < rows_; ++row) {
        for (int column = 0; column < columns_; ++column) {
            std::vector<float> near;
            for (int r = std::max(0, row - 1); r <= std::min(rows_ - 1, row + 1); ++r) {
                for (int c = std::max(0, column - 1); c <= std::min(columns_ - 1, column + 1);
                     ++c) {
                    const float v = values[static_cast<std::size_t>(r * columns_ + c)];
                    if (std::isfinite(v)) {
                        near.push_back(v);
                    }
                }
            }
            result[static_cast<std::size_t>(row * columns_ + column)] =
                near.empty() ? 0.0F : static_cast<float>(medianInPlace(std::span(near)));
        }
    }
    values = std::move(result);
}

float Background::interpolate(const std::vector<float>& values, double x, double y) const {
    const double fx = std::clamp((x + 0.5) / cell_ - 0.5, 0.0, static_cast<double>(columns_ - 1));
    const double fy = std::clamp((y + 0.5) / cell_ - 0.5, 0.0, static_cast<double>(rows_ - 1));
    const int c0 = std::min(static_cast<int>(fx), std::max(0, columns_ - 2));
    const int r0 = std::min(static_cast<int>(fy), std::max(0, rows_ - 2));
    const int c1 = std::min(c0 + 1, columns_ - 1);
    const int r1 = std::min(r0 + 1, rows_ - 1);
    const auto tx = static_cast<float>(fx - c0);
    const auto ty = static_cast<float>(fy - r0);
    const auto at = [&](int r, int c) {
        return values[static_cast<std::size_t>(r * columns_ + c)];
    };
    return (1.0F - ty) * ((1.0F - tx) * at(r0, c0) + tx * at(r0, c1)) +
           ty * ((1.0F - tx) * at(r1, c0) + tx * at(r1, c1));
}

void Background::interpolateRow(const std::vector<float>& values,
                                int y,
                                std::span<float> out) const {
    // Linear between the middles of neighbouring cells, level beyond the outermost ones.
    const double first = 0.5 * cell_ - 0.5;
    std::size_t x = 0;
    for (int column = 0; column + 1 < columns_ && x < out.size(); ++column) {
        const double left = first + column * static_cast<double>(cell_);
        const float v0 = interpolate(values, left, y);
        const float slope = (interpolate(values, left + cell_, y) - v0) / static_cast<float>(cell_);
        for (; x < out.size() && static_cast<double>(x) < left + cell_; ++x) {
            const float along = static_cast<float>(static_cast<double>(x) - left);
            out[x] = v0 + slope * std::max(0.0F, along);
        }
    }
    const float last = interpolate(values, static_cast<double>(columns_) * cell_, y);
    std::fill(out.begin() + static_cast<std::ptrdiff_t>(x), out.end(), last);
}

double Background::typicalLevel() const {
    std::vector<float> copy = levels_;
    return medianInPlace(std::span(copy));
}

double Background::typicalNoise() const {
    std::vector<float> copy = noises_;
    return medianInPlace(std::span(copy));
}

frame::Image Background::subtractFrom(const frame::Image& image) const {
    frame::Image result(image.width(), image.height());
    parallelFor(static_cast<std::size_t>(image.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const auto in = image.row(y);
        const auto out = result.row(y);
        levelRow(y, out);
        for (std::size_t x = 0; x < out.size(); ++x) {
            out[x] = in[x] - out[x];
        }
    });
    return result;
}

} // namespace pathmark::detect
