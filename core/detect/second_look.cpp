#include "core/detect/second_look.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/detect/blends.h"
#include "core/detect/filter_kernels.h"
#include "core/detect/matched_filter.h"
#include "core/detect/source_light.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <span>

namespace pathmark::detect {
namespace {

/// By so much of its light a fitted profile may be wrong at a pixel.
constexpr double kProfileError = 0.05;
/// Beyond this chi-square a source is not what was fitted.
constexpr double kNoPoint = 3.0;
/// Nearer than this to a known source, in its widths, what is left is the fault of its fit.
constexpr double kOwnGround = 0.7;
constexpr int kBandRows = 128;
constexpr int kCell = 64;
/// A cell's excess is known to a twentieth: so little may be chance.
constexpr float kNoExcess = 1.15F;

/// Rows of a frame that one worker takes the known light from.
struct Band {
    int first = 0;
    int end = 0;
    std::vector<std::size_t> sources; ///< whose light or whose closed ground reaches it
};

struct Ground {
    double closed = 0.0; ///< pixels around the source where its fit proves nothing
    int taken = 0;       ///< pixels around it where its light is known, and taken off
};

class KnownLight {
  public:
    KnownLight(const frame::Image& image,
               const Background& sky,
               const PointSpreadField& spread,
               const std::vector<Source>& known,
               const std::optional<double>& saturation)
        : sky_(sky), spread_(spread), known_(known), reach_(spread.radius() - 2) {
        const auto ceiling = static_cast<float>(saturation.value_or(1e30));
        for (const Source& source : known) {
            grounds_.push_back(groundOf(source, hasFullPixel(image, source, ceiling)));
        }
    }

    void takeFrom(frame::Image& image) const {
        const auto bands = bandsOf(image.height());
        parallelFor(bands.size(), [&](std::size_t b) {
            const Band& band = bands[b];
            frame::Image taken(image.width(), band.end - band.first);
            SourceLight light(spread_);
            for (const std::size_t i : band.sources) {
                if (grounds_[i].taken > 0) {
                    light.add(known_[i], grounds_[i].taken, band.first, taken);
                }
            }
            for (int y = band.first; y < band.end; ++y) {
                weigh(y, taken.row(y - band.first), image.row(y));
            }
            for (const std::size_t i : band.sources) {
                close(known_[i], grounds_[i].closed, band, image);
            }
        });
    }

  private:
    /// Whether a pixel at the middle is at or above the ceiling, or has no value.
    static bool hasFullPixel(const frame::Image& image, const Source& source, float ceiling) {
        const int cx = static_cast<int>(std::lround(source.x));
        const int cy = static_cast<int>(std::lround(source.y));
        for (int y = cy - 1; y <= cy + 1; ++y) {
            for (int x = cx - 1; x <= cx + 1; ++x) {
                if (image.contains(x, y) && !(image.at(x, y) < ceiling)) {
                    return true;
                }
            }
        }
        return false;
    }

    [[nodiscard]] Ground groundOf(const Source& source, bool isFull) const {
        const double noise = std::max(1e-6, static_cast<double>(sky_.noise(source.x, source.y)));
        const double reach = seenRadius(spread_, source.flux, noise);
        // A profile in error by its share makes a chi-square that grows with the light.
        const double pixels = std::pow(2.0 * spread_.middle().fwhm(), 2.0) * std::numbers::pi;
        const double byProfile = std::pow(kProfileError * source.snr, 2.0) / pixels;
        if (isFull || source.chiSquare > kNoPoint + byProfile) {
            return {std::max(reach, 2.0 * spread_.middle().fwhm()), 0};
        }
        return {0.0, std::max(reach_, static_cast<int>(reach))};
    }

    [[nodiscard]] std::vector<Band> bandsOf(int height) const {
        std::vector<Band> bands;
        for (int y = 0; y < height; y += kBandRows) {
            bands.push_back({y, std::min(height, y + kBandRows), {}});
        }
        for (std::size_t i = 0; i < known_.size(); ++i) {
            const double radius = std::max<double>(grounds_[i].taken, grounds_[i].closed) + 1.0;
            const auto bandAt = [&](double y) {
                return std::clamp(static_cast<int>(std::floor(y / kBandRows)),
                                  0,
                                  static_cast<int>(bands.size()) - 1);
            };
            for (int b = bandAt(known_[i].y - radius); b <= bandAt(known_[i].y + radius); ++b) {
                bands[static_cast<std::size_t>(b)].sources.push_back(i);
            }
        }
        return bands;
    }

    /// Takes light off a row and scales what is left to the noise of the sky: a filter that knows that alone weighs it
    /// rightly.
    void weigh(int y, std::span<const float> taken, std::span<float> row) const {
        if (std::none_of(taken.begin(), taken.end(), [](float light) { return light > 0.0F; })) {
            return;
        }
        std::vector<float> level(row.size());
        std::vector<float> noise(row.size());
        sky_.levelRow(y, level);
        sky_.noiseRow(y, noise);
        takeAndWeigh({level.data(), noise.data(), taken.data()},
                     static_cast<float>(kProfileError),
                     row.size(),
                     row.data());
    }

    static void close(const Source& source, double radius, const Band& band, frame::Image& image) {
        const int cx = static_cast<int>(std::lround(source.x));
        const int cy = static_cast<int>(std::lround(source.y));
        const int reach = static_cast<int>(std::ceil(radius));
        for (int y = std::max(band.first, cy - reach); y <= std::min(band.end - 1, cy + reach);
             ++y) {
            for (int x = std::max(0, cx - reach); x <= std::min(image.width() - 1, cx + reach);
                 ++x) {
                if (std::hypot(x - source.x, y - source.y) < radius) {
                    image.at(x, y) = frame::kNoValue;
                }
            }
        }
    }

    const Background& sky_;
    const PointSpreadField& spread_;
    const std::vector<Source>& known_;
    int reach_; ///< pixels that the tables have to either side
    std::vector<Ground> grounds_;
};

} // namespace

FilterExcess::FilterExcess(const frame::Image& filtered, const frame::Image& light)
    : columns_(std::max(1, (filtered.width() + kCell / 2) / kCell)),
      rows_(std::max(1, (filtered.height() + kCell / 2) / kCell)) {
    std::vector<float> single(static_cast<std::size_t>(columns_ * rows_), 1.0F);
    parallelFor(single.size(), [&](std::size_t cell) {
        const int column = static_cast<int>(cell) % columns_;
        const int row = static_cast<int>(cell) / columns_;
        const int right = column + 1 == columns_ ? filtered.width() : (column + 1) * kCell;
        const int top = row + 1 == rows_ ? filtered.height() : (row + 1) * kCell;
        std::vector<float> values;
        for (int y = row * kCell; y < top; y += 2) {
            for (int x = column * kCell; x < right; x += 2) {
                if (std::isfinite(light.at(x, y))) {
                    values.push_back(filtered.at(x, y));
                }
            }
        }
        constexpr std::size_t fewest = 200;
        if (values.size() < fewest) {
            return;
        }
        const auto low = values.begin() +
                         static_cast<std::ptrdiff_t>(0.02275 * static_cast<double>(values.size()));
        const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
        std::nth_element(values.begin(), middle, values.end());
        const float median = *middle;
        std::nth_element(values.begin(), low, middle);
        single[cell] = 0.5F * (median - *low);
    });
    cells_.resize(single.size());
    for (int row = 0; row < rows_; ++row) {
        for (int column = 0; column < columns_; ++column) {
            std::vector<float> around;
            for (int j = std::max(0, row - 1); j <= std::min(rows_ - 1, row + 1); ++j) {
                for (int i = std::max(0, column - 1); i <= std::min(columns_ - 1, column + 1);
                     ++i) {
                    around.push_back(single[static_cast<std::size_t>(j * columns_ + i)]);
                }
            }
            const auto usual = static_cast<float>(medianInPlace(std::span(around)));
            cells_[static_cast<std::size_t>(row * columns_ + column)] =
                usual < kNoExcess ? 1.0F : usual;
        }
    }
}

double FilterExcess::at(double x, double y) const {
    if (cells_.empty()) {
        return 1.0;
    }
    const int column = std::clamp(static_cast<int>(x) / kCell, 0, columns_ - 1);
    const int row = std::clamp(static_cast<int>(y) / kCell, 0, rows_ - 1);
    return static_cast<double>(cells_[static_cast<std::size_t>(row * columns_ + column)]);
}

SecondLook secondLook(const frame::Image& image,
                      const Background& sky,
                      const PointSpreadField& spread,
                      const std::vector<Source>& known,
                      const DetectOptions& options,
                      int border) {
    frame::Image left = image;
    KnownLight(image, sky, spread, known, options.saturation).takeFrom(left);
    const PointSpread& middle = spread.middle();
    const frame::Image filtered =
        filterForForm(left, sky, {middle.fwhm(), middle.trailX(), middle.trailY()});
    SecondLook look{{}, FilterExcess(filtered, left)};
    const double ground = kOwnGround * middle.fwhm();
    const NeighbourGrid grid(known, std::max(8.0, ground));
    for (const Peak& peak : peaksIn(filtered, static_cast<float>(options.threshold), border)) {
        if (static_cast<double>(peak.snr) < options.threshold * look.excess.at(peak.x, peak.y) ||
            grid.anyWithin(peak.x, peak.y, ground)) {
            continue;
        }
        Source source;
        source.x = peak.x;
        source.y = peak.y;
        const float light = left.at(peak.x, peak.y) - sky.level(peak.x, peak.y);
        source.flux = std::max(0.0, static_cast<double>(light)) / middle.at(0.0, 0.0).value;
        look.sources.push_back(source);
    }
    return look;
}

} // namespace pathmark::detect
