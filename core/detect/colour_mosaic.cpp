#include "core/detect/colour_mosaic.h"

#include "core/base/expects.h"
#include "core/base/linear.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/detect/blends.h"
#include "core/detect/learn_shape.h"

#include <algorithm>
#include <cmath>

namespace pathmark::detect {
namespace {

constexpr int kSkyCell = 32; // of one site's picture: 64 raw pixels
constexpr double kFittedFromSnr =
    8.0; // below, the noise of a place is far beyond what its colour could do
constexpr std::size_t kMostForResponse = 200;
constexpr int kParameters = 5;

int colourOf(char letter) {
    return letter == 'R' ? 0 : letter == 'B' ? 2 : 1;
}

double toRaw(double cells) {
    return 2.0 * cells + 0.5;
}

double toCells(double raw) {
    return 0.5 * (raw - 0.5);
}

/// The star's shape on cells in raw pixels.
FieldShape onRawPixels(FieldShape shape) {
    shape.middle.logSize += std::log(2.0);
    shape.trailX *= 2.0;
    shape.trailY *= 2.0;
    shape.width *= 2;
    shape.height *= 2;
    return shape;
}

std::vector<Source> rawSources(const Detection& onCells) {
    std::vector<Source> sources = onCells.sources;
    for (Source& s : sources) {
        s.x = toRaw(s.x);
        s.y = toRaw(s.y);
    }
    return sources;
}

/// As far as the light of each source lifts a sky that is measured over some thousand pixels.
std::vector<Disc> discsOf(const std::vector<Source>& sources, const FieldShape& shape) {
    const double fwhm = shape.middle.profile().fwhm();
    const double trail = 0.5 * std::hypot(shape.trailX, shape.trailY);
    std::vector<Disc> discs;
    discs.reserve(sources.size());
    for (const Source& s : sources) {
        discs.push_back({s.x, s.y, fwhm * (1.5 + std::log10(std::max(1.0, s.snr / 5.0))) + trail});
    }
    return discs;
}

/// Median flux of red and blue over green, of bright stars at their places.
ColourResponse responseOf(const ColourMosaic& mosaic,
                          const std::vector<Source>& sources,
                          const PointSpreadField& spread) {
    std::vector<double> red;
    std::vector<double> blue;
    const int half = static_cast<int>(std::ceil(1.5 * spread.middle().fwhm()));
    for (const Source& s : sources) {
        if (red.size() >= kMostForResponse || s.snr < 15.0) {
            break; // the brightest come first
        }
        std::array<double, 3> light{};
        std::array<double, 3> squares{};
        const int cx = static_cast<int>(std::lround(s.x));
        const int cy = static_cast<int>(std::lround(s.y));
        bool isWhole = (s.flags & ~static_cast<std::uint32_t>(kPoorFit)) == 0;
        for (int y = cy - half; y <= cy + half && isWhole; ++y) {
            for (int x = cx - half; x <= cx + half && isWhole; ++x) {
                isWhole = mosaic.light().contains(x, y) && std::isfinite(mosaic.light().at(x, y));
                if (isWhole) {
                    const auto c = static_cast<std::size_t>(mosaic.colourAt(x, y));
                    const double p = spread.sampleAt(s.x, s.y, x - s.x, y - s.y).value;
                    light[c] += p * static_cast<double>(mosaic.light().at(x, y));
                    squares[c] += p * p;
                }
            }
        }
        if (isWhole && light[1] > 0.0 && squares[0] > 0.0 && squares[2] > 0.0) {
            const double green = light[1] / squares[1];
            red.push_back(light[0] / squares[0] / green);
            blue.push_back(light[2] / squares[2] / green);
        }
    }
    if (red.size() < 3) {
        return {};
    }
    return {std::max(0.02, medianInPlace(std::span(red))),
            std::max(0.02, medianInPlace(std::span(blue)))};
}

FieldShape
shapeOn(const frame::Image& levelled, const std::vector<Source>& sources, const FieldShape& first) {
    std::vector<Peak> peaks;
    for (const Source& s : sources) {
        const int x = static_cast<int>(std::lround(s.x));
        const int y = static_cast<int>(std::lround(s.y));
        if (s.snr >= 5.0 && (s.flags & (kSharp | kEdge)) == 0 && levelled.contains(x, y)) {
            peaks.push_back({x, y, static_cast<float>(s.snr)});
        }
    }
    std::stable_sort(
        peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.snr > b.snr; });
    const auto learned = learnShape(
        levelled, Background(levelled), peaks, {std::nullopt, first.middle.profile().fwhm()});
    return learned ? *learned : first;
}

/// One star's fit.
class ColourFitter {
  public:
    ColourFitter(const ColourMosaic& mosaic, const PointSpreadField& spread, int half)
        : mosaic_(mosaic), spread_(spread), half_(half), patch_(half) {}

    /// Starts at the place of the source; `others` shine into its window with these fluxes in green.
    std::optional<ColourFit>
    fit(const Source& start, std::span<const Source> others, const ColourResponse& response) {
        cx_ = static_cast<int>(std::lround(start.x));
        cy_ = static_cast<int>(std::lround(start.y));
        if (!take(others, response)) {
            return std::nullopt;
        }
        x_ = start.x;
        y_ = start.y;
        for (int c = 0; c < 3; ++c) {
            flux_[static_cast<std::size_t>(c)] = start.flux * response.of(c);
        }
        bool settled = false;
        for (int round = 0; round < 12 && !settled; ++round) {
            settled = step();
            if (!(std::hypot(x_ - start.x, y_ - start.y) < 1.4)) {
                return std::nullopt;
            }
        }
        return settled ? result() : std::nullopt;
    }

  private:
    struct Pixel {
        std::size_t at; ///< in the patch
        std::size_t colour;
        double value;
        double sky; ///< variance
    };

    bool take(std::span<const Source> others, const ColourResponse& response) {
        pixels_.clear();
        std::array<int, 3> seen{};
        for (int j = -half_; j <= half_; ++j) {
            for (int i = -half_; i <= half_; ++i) {
                const int x = cx_ + i;
                const int y = cy_ + j;
                if (!mosaic_.light().contains(x, y) || !std::isfinite(mosaic_.light().at(x, y))) {
                    continue;
                }
                const int colour = mosaic_.colourAt(x, y);
                double value = static_cast<double>(mosaic_.light().at(x, y));
                double variance = std::pow(mosaic_.noise(x, y), 2);
                for (const Source& o : others) {
                    const double light = o.flux * response.of(colour) *
                                         spread_.sampleAt(o.x, o.y, x - o.x, y - o.y).value;
                    value -= light;
                    variance += std::max(0.0, light);
                }
                pixels_.push_back(
                    {patch_.index(i, j), static_cast<std::size_t>(colour), value, variance});
                ++seen[static_cast<std::size_t>(colour)];
            }
        }
        return *std::min_element(seen.begin(), seen.end()) >= 4 &&
               2 * pixels_.size() > static_cast<std::size_t>((2 * half_ + 1) * (2 * half_ + 1));
    }

    /// One step of Gauss-Newton; true where it was too small to matter.
    bool step() {
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(kParameters, kParameters);
        Eigen::VectorXd gradient = Eigen::VectorXd::Zero(kParameters);
        spread_.patch(x_, y_, cx_, cy_, patch_);
        chi_ = 0.0;
        for (const Pixel& p : pixels_) {
            const double flux = flux_[p.colour];
            const auto profile = static_cast<double>(patch_.value[p.at]);
            const double model = flux * profile;
            const double weight = 1.0 / (p.sky + std::max(0.0, model));
            const double residual = p.value - model;
            const std::array<double, 3> slope{-flux * static_cast<double>(patch_.slopeX[p.at]),
                                              -flux * static_cast<double>(patch_.slopeY[p.at]),
                                              profile};
            const std::array<Eigen::Index, 3> place{0, 1, 2 + static_cast<Eigen::Index>(p.colour)};
            for (std::size_t a = 0; a < 3; ++a) {
                gradient[place[a]] += weight * residual * slope[a];
                for (std::size_t b = 0; b < 3; ++b) {
                    normal(place[a], place[b]) += weight * slope[a] * slope[b];
                }
            }
            chi_ += weight * residual * residual;
        }
        covariance_ = inverseOfSymmetric(normal);
        const Eigen::VectorXd move = covariance_ * gradient;
        const double far = std::hypot(move[0], move[1]);
        const double share = far > 0.5 ? 0.5 / far : 1.0;
        x_ += share * move[0];
        y_ += share * move[1];
        for (std::size_t c = 0; c < 3; ++c) {
            flux_[c] += move[2 + static_cast<Eigen::Index>(c)];
        }
        return far < 2e-4;
    }

    [[nodiscard]] std::optional<ColourFit> result() const {
        ColourFit fit;
        fit.x = x_;
        fit.y = y_;
        fit.xError = std::sqrt(covariance_(0, 0));
        fit.yError = std::sqrt(covariance_(1, 1));
        for (std::size_t c = 0; c < 3; ++c) {
            const auto at = 2 + static_cast<Eigen::Index>(c);
            fit.flux[c] = flux_[c];
            fit.fluxError[c] = std::sqrt(covariance_(at, at));
        }
        fit.chiSquare =
            chi_ / std::max<double>(1.0, static_cast<double>(pixels_.size()) - kParameters);
        if (!std::isfinite(fit.xError + fit.yError + fit.x + fit.y) || !(flux_[1] > 0.0)) {
            return std::nullopt;
        }
        return fit;
    }

    const ColourMosaic& mosaic_;
    const PointSpreadField& spread_;
    int half_;
    SpreadPatch patch_;
    int cx_ = 0;
    int cy_ = 0;
    double x_ = 0.0;
    double y_ = 0.0;
    std::array<double, 3> flux_{};
    double chi_ = 0.0;
    Eigen::MatrixXd covariance_;
    std::vector<Pixel> pixels_;
};

} // namespace

frame::Image siteOf(const frame::Image& mosaic, int dx, int dy) {
    frame::Image site((mosaic.width() + 1 - dx) / 2, (mosaic.height() + 1 - dy) / 2);
    for (int y = 0; y < site.height(); ++y) {
        for (int x = 0; x < site.width(); ++x) {
            site.at(x, y) = mosaic.at(2 * x + dx, 2 * y + dy);
        }
    }
    return site;
}

ColourMosaic::ColourMosaic(const frame::Image& electrons,
                           std::string pattern,
                           std::optional<double> saturation)
    : light_(electrons.width(), electrons.height()) {
    PATHMARK_EXPECTS(pattern.size() == 4 && electrons.width() > 1 && electrons.height() > 1);
    for (std::size_t k = 0; k < 4; ++k) {
        colours_[k] = colourOf(pattern[k]);
        skies_.emplace_back(siteOf(electrons, static_cast<int>(k % 2), static_cast<int>(k / 2)),
                            kSkyCell);
    }
    const auto ceiling = static_cast<float>(saturation.value_or(1e30));
    std::transform(electrons.pixels().begin(),
                   electrons.pixels().end(),
                   light_.pixels().begin(),
                   [&](float v) { return v < ceiling ? v : frame::kNoValue; });
    takeOffSkies();
}

void ColourMosaic::takeOffSkies() {
    parallelFor(static_cast<std::size_t>(light_.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        std::array<std::vector<float>, 2> level;
        for (std::size_t side = 0; side < 2; ++side) {
            level[side].resize(static_cast<std::size_t>(light_.width() / 2 + 1));
            skies_[row % 2 * 2 + side].levelRow(y / 2, level[side]);
        }
        for (int x = 0; x < light_.width(); ++x) {
            light_.at(x, y) -=
                level[static_cast<std::size_t>(x % 2)][static_cast<std::size_t>(x / 2)];
        }
    });
}

void ColourMosaic::relevel(std::span<const Disc> discs) {
    for (std::size_t k = 0; k < skies_.size(); ++k) {
        const double dx = static_cast<double>(k % 2);
        const double dy = static_cast<double>(k > 1);
        std::vector<Disc> own;
        own.reserve(discs.size());
        for (const Disc& disc : discs) {
            own.push_back({0.5 * (disc.x - dx), 0.5 * (disc.y - dy), 0.5 * disc.radius});
        }
        const frame::Image site = siteOf(light_, static_cast<int>(k % 2), static_cast<int>(k / 2));
        skies_[k] = Background(site, kSkyCell);
        skies_[k].remeasure(site, own);
    }
    takeOffSkies();
}

frame::Image ColourMosaic::levelled(const ColourResponse& response) const {
    frame::Image image = light_;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            image.at(x, y) /= static_cast<float>(response.of(colourAt(x, y)));
        }
    }
    return image;
}

double ColourMosaic::typicalNoise(int colour) const {
    const auto site = std::find(colours_.begin(), colours_.end(), colour);
    PATHMARK_EXPECTS(site != colours_.end());
    return skies_[static_cast<std::size_t>(site - colours_.begin())].typicalNoise();
}

frame::PixelPos ColourMosaic::lean(const ColourResponse& response) const {
    double sum = 0.0;
    frame::PixelPos lean;
    for (std::size_t k = 0; k < 4; ++k) {
        const double weight = response.of(colours_[k]);
        sum += weight;
        // What a pixel at a corner of the cell sees is taken for light from the cell's middle.
        lean.x += weight * (0.5 - static_cast<double>(k % 2));
        lean.y += weight * (0.5 - static_cast<double>(k > 1));
    }
    return {lean.x / sum, lean.y / sum};
}

MosaicSources fitOnMosaic(ColourMosaic& mosaic, const Detection& onCells) {
    MosaicSources result;
    std::vector<Source> sources = rawSources(onCells);
    const FieldShape first = onRawPixels(onCells.spread.shape());
    mosaic.relevel(discsOf(sources, first));
    result.response = responseOf(mosaic, sources, PointSpreadField(first));
    result.lean = mosaic.lean(result.response);
    result.shape = shapeOn(mosaic.levelled(result.response), sources, first);
    // The sum of a cell's four fluxes, as they fall on a quarter of the pixels each, to that of green alone.
    const double toGreen = 1.0 / result.response.mean();
    for (Source& s : sources) {
        s.x -= result.lean.x;
        s.y -= result.lean.y;
        s.flux *= toGreen;
    }
    const double trail = 0.5 * std::hypot(result.shape.trailX, result.shape.trailY);
    const double fwhm = result.shape.middle.profile().fwhm();
    const int half = std::max(4, static_cast<int>(std::ceil(1.7 * fwhm + trail)));
    const PointSpreadField spread(result.shape, half + 3);
    const NeighbourGrid grid(sources, 3.0 * half);
    const double noise = mosaic.typicalNoise(1);
    result.fits.resize(sources.size());
    constexpr std::size_t chunk = 64;
    parallelFor((sources.size() + chunk - 1) / chunk, [&](std::size_t part) {
        ColourFitter fitter(mosaic, spread, half);
        for (std::size_t i = part * chunk; i < std::min(sources.size(), (part + 1) * chunk); ++i) {
            if (sources[i].snr < kFittedFromSnr) {
                continue;
            }
            std::vector<Source> others;
            for (const std::size_t k : grid.within(i, 2.0 * half)) {
                const double apart =
                    std::hypot(sources[k].x - sources[i].x, sources[k].y - sources[i].y);
                const double nearest = std::max(0.0, apart - 1.4 * half - trail);
                if (sources[k].flux * spread.middle().at(nearest, 0.0).value > 0.1 * noise) {
                    others.push_back(sources[k]);
                }
            }
            result.fits[i] = fitter.fit(sources[i], others, result.response);
        }
    });
    return result;
}

void placeByMosaic(const MosaicSources& mosaic, Detection& onCells) {
    PATHMARK_EXPECTS(mosaic.fits.size() == onCells.sources.size());
    // A star is hardly wider than a cell: its flux on the sums is off by what the mosaic shows on the brighter ones.
    std::vector<double> ratios;
    for (std::size_t i = 0; i < mosaic.fits.size() && ratios.size() < kMostForResponse; ++i) {
        if (mosaic.fits[i]) {
            ratios.push_back(mosaic.fits[i]->meanFlux() / onCells.sources[i].flux);
        }
    }
    const double scale = ratios.size() < 3 ? 1.0 : medianInPlace(std::span(ratios));
    for (std::size_t i = 0; i < mosaic.fits.size(); ++i) {
        Source& s = onCells.sources[i];
        s.flux *= scale;
        s.fluxError *= scale;
        if (const auto& fit = mosaic.fits[i]) {
            s.flux = fit->meanFlux();
            s.x = toCells(fit->x);
            s.y = toCells(fit->y);
            s.xError = 0.5 * fit->xError;
            s.yError = 0.5 * fit->yError;
        } else {
            s.x -= 0.5 * mosaic.lean.x;
            s.y -= 0.5 * mosaic.lean.y;
        }
    }
}

} // namespace pathmark::detect
