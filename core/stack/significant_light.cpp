#include "core/stack/significant_light.h"

#include "core/base/parallel.h"
#include "core/detect/source_light.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

namespace pathmark::stack {
namespace {

constexpr double kWideWidths = 5.0;  ///< FWHM; the side of the wider square
constexpr float kHalfKept = 256.0F;  ///< f^4 of what keeps half of its value: f = 4
constexpr float kLeastSquare = 5.0F; ///< f^2 below which nothing is kept
constexpr int kBand = 128;           ///< rows that one task works through

/// Sums over a square about each pixel of a row, from sums over the columns.
void addAcross(const std::vector<double>& columns, int half, std::vector<float>& out) {
    const int width = static_cast<int>(columns.size());
    double sum = 0.0;
    for (int x = 0; x < std::min(half, width); ++x) {
        sum += columns[static_cast<std::size_t>(x)];
    }
    for (int x = 0; x < width; ++x) {
        sum += x + half < width ? columns[static_cast<std::size_t>(x + half)] : 0.0;
        sum -= x > half ? columns[static_cast<std::size_t>(x - half - 1)] : 0.0;
        out[static_cast<std::size_t>(x)] = static_cast<float>(sum);
    }
}

/// Sums of light and variance over a square that goes down a picture row by row.
class Squares {
  public:
    Squares(const frame::Image& picture, const frame::Image& variance, double side, int y)
        : picture_(picture), variance_(variance),
          half_(std::max(1, static_cast<int>(std::lround(0.5 * (side - 1.0))))), row_(y),
          lightColumns_(static_cast<std::size_t>(picture.width())), varianceColumns_(lightColumns_),
          light_(lightColumns_.size()), sum_(lightColumns_.size()) {
        for (int v = y - half_; v < y + half_; ++v) {
            take(v, 1.0);
        }
    }

    /// Raises `squares` to f^2 of the next row.
    void raise(std::vector<float>& squares) {
        take(row_ + half_, 1.0);
        addAcross(lightColumns_, half_, light_);
        addAcross(varianceColumns_, half_, sum_);
        take(row_ - half_, -1.0);
        ++row_;
        for (std::size_t x = 0; x < squares.size(); ++x) {
            const float f2 = sum_[x] > 0.0F ? light_[x] * light_[x] / sum_[x] : 0.0F;
            squares[x] = std::max(squares[x], f2);
        }
    }

  private:
    void take(int y, double sign) {
        if (y < 0 || y >= picture_.height()) {
            return;
        }
        const auto light = picture_.row(y);
        const auto variance = variance_.row(y);
        for (std::size_t x = 0; x < light.size(); ++x) {
            const bool isKnown = std::isfinite(light[x]) && std::isfinite(variance[x]);
            lightColumns_[x] += isKnown ? sign * static_cast<double>(light[x]) : 0.0;
            varianceColumns_[x] += isKnown ? sign * static_cast<double>(variance[x]) : 0.0;
        }
    }

    const frame::Image& picture_;
    const frame::Image& variance_;
    int half_;
    int row_;
    std::vector<double> lightColumns_;
    std::vector<double> varianceColumns_;
    std::vector<float> light_;
    std::vector<float> sum_;
};

/// Works on the rows of a picture, band by band.
template <class F>
void forBands(int height, const F& work) {
    const int bands = (height + kBand - 1) / kBand;
    parallelFor(static_cast<std::size_t>(bands), [&](std::size_t band) {
        const int y0 = static_cast<int>(band) * kBand;
        work(y0, std::min(y0 + kBand, height));
    });
}

} // namespace

frame::Image fittedStars(const frame::Image& picture) {
    frame::Image stars(picture.width(), picture.height());
    const auto found = detect::detectSources(picture, {});
    if (!found) {
        return stars; // a stack with hardly a star
    }
    const double noise = found->sky.typicalNoise();
    forBands(picture.height(), [&](int y0, int y1) {
        frame::Image band(picture.width(), y1 - y0);
        detect::SourceLight light(found->spread);
        for (const detect::Source& s : found->sources) {
            const int reach =
                std::max(found->spread.radius(),
                         static_cast<int>(detect::seenRadius(found->spread, s.flux, noise)));
            if (s.y + reach + 1.0 > y0 && s.y - reach - 1.0 < y1) {
                light.add(s, reach, y0, band);
            }
        }
        for (int y = y0; y < y1; ++y) {
            std::copy(band.row(y - y0).begin(), band.row(y - y0).end(), stars.row(y).begin());
        }
    });
    return stars;
}

frame::Image
significantLight(const frame::Image& picture, const frame::Image& variance, double fwhmPixels) {
    frame::Image rest = fittedStars(picture);
    forBands(picture.height(), [&](int y0, int y1) {
        for (int y = y0; y < y1; ++y) {
            const auto light = picture.row(y);
            std::transform(light.begin(),
                           light.end(),
                           rest.row(y).begin(),
                           rest.row(y).begin(),
                           std::minus<>());
        }
    });
    rest = detect::Background(rest).subtractFrom(rest);
    frame::Image kept = picture; // less what of the rest is noise
    forBands(picture.height(), [&](int y0, int y1) {
        Squares narrow(rest, variance, fwhmPixels, y0);
        Squares wide(rest, variance, kWideWidths * fwhmPixels, y0);
        std::vector<float> squares(static_cast<std::size_t>(picture.width()));
        for (int y = y0; y < y1; ++y) {
            std::fill(squares.begin(), squares.end(), 0.0F);
            narrow.raise(squares);
            wide.raise(squares);
            const auto from = rest.row(y);
            const auto to = kept.row(y);
            for (std::size_t x = 0; x < squares.size(); ++x) {
                const float f4 = squares[x] * squares[x];
                const float noise = squares[x] < kLeastSquare ? 1.0F : kHalfKept / (f4 + kHalfKept);
                to[x] -= noise * from[x];
            }
        }
    });
    return kept;
}

} // namespace pathmark::stack
