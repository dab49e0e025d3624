#include "core/detect/background.h"

#include "core/base/expects.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/detect/filter_kernels.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace pathmark::detect {
namespace {

constexpr std::size_t kSumLanes = 16;
constexpr double kClip = 3.0;
constexpr double kClippedSigma =
    0.986578; // of a unit normal cut at +-3: Johnson, Kotz & Balakrishnan 1994, sec. 13.10.1

constexpr double kBeside = 3.5; ///< sigma, beyond which a value is not of the bulk
constexpr double kLeastBeside =
    0.01; ///< of the values, that must lie there on a side; noise leaves a fiftieth of it
constexpr double kSameStep = 0.3;  ///< of a distance, within which others are alike
constexpr double kMostOf = 0.6;    ///< of those beside, that must be alike
constexpr double kEven = 0.3;      ///< of those below, that must lie as far above
constexpr double kStepReach = 2.2; ///< steps that a scatter of less than half of one may reach

/// Two rows of four, odd and even ones alike: half the work.
bool isSampled(int y) {
    return y % 4 == 0 || y % 4 == 3;
}

/// Clips about a centre until nothing more falls out.
///
/// Shapes   `values`: a multiple of kSumLanes.
RobustMoments clipFrom(double centre, double reach, const std::vector<float>& values) {
    double sigma = reach / kClip;
    double last = -1.0;
    for (int round = 0; round < 12; ++round) {
        const ClippedSums sums = sumClipped(values.data(),
                                            static_cast<int>(values.size()),
                                            static_cast<float>(centre - reach),
                                            static_cast<float>(centre + reach),
                                            static_cast<float>(centre));
        if (sums.count < 3.0) {
            break;
        }
        const double mean = sums.sum / sums.count;
        sigma = std::sqrt(std::max(0.0, sums.squares / sums.count - mean * mean)) / kClippedSigma;
        centre += mean;
        reach = kClip * sigma;
        if (sums.count == last) {
            break;
        }
        last = sums.count;
    }
    return {centre, sigma, static_cast<int>(last)};
}

/// How far from the centre values lie that are no part of the bulk, where most of them lie at one distance; nothing where they do not,
/// or are few.
std::optional<double> distanceOfMost(std::vector<float>& beside, std::size_t known) {
    if (static_cast<double>(beside.size()) < kLeastBeside * static_cast<double>(known)) {
        return std::nullopt;
    }
    const double distance = medianInPlace(std::span(beside));
    const auto near = std::count_if(beside.begin(), beside.end(), [&](float d) {
        return std::abs(static_cast<double>(d) - distance) < kSameStep * distance;
    });
    return static_cast<double>(near) > kMostOf * static_cast<double>(beside.size())
               ? std::optional(distance)
               : std::nullopt;
}

/// The step of a camera's numbers where it is wider than their scatter: most values are then alike, and those a step away look like
/// outliers. Stars do not lie at one distance; what is dark for another reason has nothing as far above. Nothing where there is none.
std::optional<double> coarseStep(const RobustMoments& bulk, const std::vector<float>& values) {
    const auto limit = static_cast<float>(kBeside * bulk.sigma);
    std::vector<float> below;
    std::vector<float> above;
    std::size_t known = 0;
    for (const float v : values) {
        const float d = v - static_cast<float>(bulk.centre);
        known += std::isfinite(v) ? 1 : 0;
        if (d > limit) {
            above.push_back(d);
        } else if (d < -limit) {
            below.push_back(-d);
        }
    }
    const auto up = distanceOfMost(above, known);
    if (up) {
        return up;
    }
    const auto down = distanceOfMost(below, known);
    if (!down) {
        return std::nullopt;
    }
    const auto mirrored = std::count_if(above.begin(), above.end(), [&](float d) {
        return std::abs(static_cast<double>(d) - *down) < kSameStep * *down;
    });
    return static_cast<double>(mirrored) > kEven * static_cast<double>(below.size()) ? down
                                                                                     : std::nullopt;
}

/// Mean and sigma of the bulk of a cell. The start is the median of a sample; from there only sums are needed.
RobustMoments clipCell(std::vector<float>& values) {
    std::vector<float> sample;
    for (std::size_t i = 0; i < values.size(); i += std::max<std::size_t>(1, values.size() / 56)) {
        if (std::isfinite(values[i])) {
            sample.push_back(values[i]);
        }
    }
    if (sample.size() < 16) {
        return clippedMoments(values, kClip);
    }
    values.resize((values.size() + kSumLanes - 1) / kSumLanes * kSumLanes, std::nanf(""));
    const double centre = medianInPlace(std::span(sample));
    for (float& v : sample) {
        v = std::abs(v - static_cast<float>(centre));
    }
    const double sigma = 1.4826 * medianInPlace(std::span(sample));
    // Wider at first: the sample's sigma is uncertain by a tenth.
    const RobustMoments bulk =
        sigma > 0.0 ? clipFrom(centre, 3.6 * sigma, values) : clippedMoments(values, kClip);
    const auto step = coarseStep(bulk, values);
    if (!step) {
        return bulk;
    }
    RobustMoments whole = clipFrom(bulk.centre, kStepReach * *step, values);
    // One step must never look like a source, however rare it is.
    whole.sigma = std::max(whole.sigma, *step / kClip);
    return whole;
}

} // namespace

Background::Background(const frame::Image& image, int cell)
    : width_(image.width()), height_(image.height()),
      cell_(std::max(8, std::min({cell, image.width(), image.height()}))),
      columns_(std::max(1, (image.width() + cell_ / 2) / cell_)),
      rows_(std::max(1, (image.height() + cell_ / 2) / cell_)) {
    const auto cells = static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_);
    levels_.resize(cells);
    noises_.resize(cells);
    parallelFor(cells, [&](std::size_t index) {
        auto values =
            sample(image, static_cast<int>(index) % columns_, static_cast<int>(index) / columns_);
        const RobustMoments moments = clipCell(values);
        levels_[index] = static_cast<float>(moments.centre);
        noises_[index] = static_cast<float>(moments.sigma);
    });
    smooth(levels_);
    smooth(noises_);
}

void Background::remeasure(const frame::Image& image, std::span<const Disc> discs) {
    PATHMARK_EXPECTS(image.width() == width_ && image.height() == height_);
    const auto cells = static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_);
    std::vector<std::vector<std::size_t>> over(cells);
    const auto along = [&](double place, int count) {
        return std::clamp(static_cast<int>(place / cell_), 0, count - 1);
    };
    for (std::size_t d = 0; d < discs.size(); ++d) {
        const auto& [x, y, r] = discs[d];
        for (int row = along(y - r, rows_); row <= along(y + r, rows_); ++row) {
            for (int column = along(x - r, columns_); column <= along(x + r, columns_); ++column) {
                over[static_cast<std::size_t>(row * columns_ + column)].push_back(d);
            }
        }
    }
    parallelFor(cells, [&](std::size_t index) {
        if (over[index].empty()) {
            return;
        }
        const int column = static_cast<int>(index) % columns_;
        const int row = static_cast<int>(index) / columns_;
        auto values = sample(image, column, row);
        for (const std::size_t d : over[index]) {
            maskDisc(discs[d], column, row, values);
        }
        const RobustMoments moments = clipCell(values);
        if (10 * static_cast<std::size_t>(moments.kept) > values.size()) {
            levels_[index] = static_cast<float>(moments.centre);
            noises_[index] = static_cast<float>(moments.sigma);
        }
    });
    smooth(levels_);
    smooth(noises_);
}

int Background::columnEnd(int column) const {
    // The last cells take the remainder, so that no pixel is left out.
    return column + 1 == columns_ ? width_ : (column + 1) * cell_;
}

int Background::rowEnd(int row) const {
    return row + 1 == rows_ ? height_ : (row + 1) * cell_;
}

std::vector<float> Background::sample(const frame::Image& image, int column, int row) const {
    const int x0 = column * cell_;
    const int y0 = row * cell_;
    const auto width = static_cast<std::size_t>(columnEnd(column) - x0);
    std::vector<float> values;
    values.reserve(width * static_cast<std::size_t>(rowEnd(row) - y0) / 2 + 2 * width + kSumLanes);
    for (int y = y0; y < rowEnd(row); ++y) {
        if (isSampled(y)) {
            const auto in = image.row(y).subspan(static_cast<std::size_t>(x0), width);
            values.insert(values.end(), in.begin(), in.end());
        }
    }
    return values;
}

void Background::maskDisc(const Disc& disc, int column, int row, std::vector<float>& values) const {
    const int x0 = column * cell_;
    const int x1 = columnEnd(column);
    auto line = values.begin();
    for (int y = row * cell_; y < rowEnd(row); ++y) {
        if (!isSampled(y)) {
            continue;
        }
        const double dy = y - disc.y;
        const double square = disc.radius * disc.radius - dy * dy;
        if (square > 0.0) {
            const double reach = std::sqrt(square);
            const int first = std::clamp(static_cast<int>(std::ceil(disc.x - reach)), x0, x1);
            const int end = std::clamp(static_cast<int>(std::floor(disc.x + reach)) + 1, first, x1);
            std::fill(line + (first - x0), line + (end - x0), std::nanf(""));
        }
        line += x1 - x0;
    }
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
                                int x0,
                                int y,
                                std::span<float> out) const {
    // Linear between the middles of neighbouring cells, level beyond the outermost ones.
    const auto end = x0 + static_cast<int>(out.size());
    const double fy = std::clamp((y + 0.5) / cell_ - 0.5, 0.0, static_cast<double>(rows_ - 1));
    const int r0 = std::min(static_cast<int>(fy), std::max(0, rows_ - 2));
    const float* above = &values[static_cast<std::size_t>(r0 * columns_)];
    const float* below = &values[static_cast<std::size_t>(std::min(r0 + 1, rows_ - 1) * columns_)];
    const auto ty = static_cast<float>(fy - r0);
    const auto middleOf = [&](int column) {
        return (1.0F - ty) * above[column] + ty * below[column];
    };
    const double first = 0.5 * cell_ - 0.5;
    const auto at = [&](int x) { return out.begin() + (x - x0); };
    int x = std::clamp(static_cast<int>(std::ceil(first)), x0, end);
    std::fill(out.begin(), at(x), middleOf(0));
    int column = std::clamp(static_cast<int>((x - first) / cell_), 0, columns_ - 1);
    float v0 = middleOf(column);
    for (; column + 1 < columns_ && x < end; ++column) {
        const double left = first + column * static_cast<double>(cell_);
        const int stop = std::min(end, static_cast<int>(std::ceil(left + cell_)));
        const float v1 = middleOf(column + 1);
        const float slope = (v1 - v0) / static_cast<float>(cell_);
        if (stop > x) {
            ramp(v0 + slope * static_cast<float>(x - left), slope, &*at(x), stop - x);
            x = stop;
        }
        v0 = v1;
    }
    std::fill(at(x), out.end(), middleOf(columns_ - 1));
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
