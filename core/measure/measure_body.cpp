#include "core/measure/measure_body.h"

#include "core/detect/point_fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::measure {
namespace {

using detect::PointSpread;
using frame::PixelPos;

/// What the stars of the picture look like, and how well their light is foretold.
struct StarForm {
    PointSpread spread;
    double share =
        1.0; ///< of its light that a star keeps: along a long trail the clipping takes it
    double error = 0.05; ///< relative, of the expected light: catalogue, zero point, clipping
};

/// The profile of the stars, smeared by a way of so many pixels, as far out as the brightest of them shines on what is measured.
PointSpread starSpread(const Picture& picture, const Target& target, PixelPos at, PixelPos way) {
    const double trail = 0.5 * std::hypot(way.x, way.y);
    const double window = picture.windowFwhm * picture.shape.fwhm();
    double radius = 0.0;
    for (const StarNearby& star : target.neighbours) {
        const double distance = std::hypot(star.pixel.x - at.x, star.pixel.y - at.y);
        const double reach = wingReach(picture, star.flux.value_or(0.0)) + trail;
        if (distance < reach + window) {
            radius = std::max(radius, std::min(reach, distance + window + trail));
        }
    }
    const PointSpread usual(picture.shape, way.x, way.y);
    const int far = static_cast<int>(std::ceil(radius));
    return far > usual.radius() ? PointSpread(picture.shape, way.x, way.y, far) : usual;
}

StarForm starForm(const Picture& picture, const Target& target, PixelPos at) {
    if (target.starTrailSeconds <= 0.0) {
        return {starSpread(picture, target, at, {picture.starTrailX, picture.starTrailY})};
    }
    const PixelPos way = motionInPixels(picture, target, at, -target.starTrailSeconds);
    if (std::hypot(way.x, way.y) > kClippedTrailFwhm * picture.shape.fwhm()) {
        return {PointSpread(picture.shape, way.x, way.y), 0.3, 1.0};
    }
    return {starSpread(picture, target, at, way), 1.0, 0.1};
}

/// The light of a point source pixel by pixel, row after row, 2 half + 1 of each.
struct PointFilter {
    explicit PointFilter(const PointSpread& spread)
        : half(std::min(spread.radius(),
                        static_cast<int>(std::ceil(1.5 * spread.fwhm() + spread.trailHalf())))) {
        for (int j = -half; j <= half; ++j) {
            for (int i = -half; i <= half; ++i) {
                share.push_back(spread.at(i, j).value);
            }
        }
    }

    int half;
    std::vector<double> share;
};

/// The part of the picture around the prediction with the expected light of catalogue stars taken off; what they may
/// still be wrong by counts as noise.
class NeighbourSubtractedWindow {
  public:
    NeighbourSubtractedWindow(const Picture& picture,
                              const Target& target,
                              const StarForm& stars,
                              PixelPos middle,
                              int half)
        : x0_(static_cast<int>(std::lround(middle.x)) - half),
          y0_(static_cast<int>(std::lround(middle.y)) - half), light_(2 * half + 1, 2 * half + 1),
          variance_(2 * half + 1, 2 * half + 1) {
        for (int j = 0; j < light_.height(); ++j) {
            for (int i = 0; i < light_.width(); ++i) {
                const int x = x0_ + i;
                const int y = y0_ + j;
                if (!picture.image->contains(x, y)) {
                    light_.at(i, j) = frame::kNoValue;
                    continue;
                }
                const double response = responseAt(picture, x, y);
                double value = static_cast<double>(picture.image->at(x, y));
                double variance = std::pow(noiseAt(picture, x, y), 2);
                for (const StarNearby& star : target.neighbours) {
                    const auto sample = stars.spread.at(x - star.pixel.x, y - star.pixel.y);
                    const double whole = response * stars.share * star.flux.value_or(0.0);
                    const double light = whole * sample.value;
                    const double error = std::max(stars.error, star.error) * light;
                    const double shift =
                        starPlaceError(picture) * whole * std::hypot(sample.slopeX, sample.slopeY);
                    value -= light;
                    variance += picture.lightVariance * light + error * error + shift * shift;
                }
                // As in a camera without colours: the source that is looked for has the colour of an average star.
                light_.at(i, j) = static_cast<float>(value / response);
                variance_.at(i, j) = static_cast<float>(variance / (response * response));
            }
        }
    }

    /// Signal-to-noise of a point source at a pixel: its best linear estimate.
    [[nodiscard]] double snrAt(const PointFilter& filter, int x, int y) const {
        double sum = 0.0;
        double squares = 0.0;
        const double* share = filter.share.data();
        for (int j = -filter.half; j <= filter.half; ++j) {
            for (int i = -filter.half; i <= filter.half; ++i) {
                const double p = *share++;
                const int u = x + i - x0_;
                const int v = y + j - y0_;
                if (!light_.contains(u, v) || !std::isfinite(light_.at(u, v))) {
                    continue;
                }
                const auto variance = static_cast<double>(variance_.at(u, v));
                sum += p * static_cast<double>(light_.at(u, v)) / variance;
                squares += p * p / variance;
            }
        }
        return squares > 0.0 ? sum / std::sqrt(squares) : 0.0;
    }

  private:
    int x0_;
    int y0_;
    frame::Image light_;
    frame::Image variance_;
};

struct Found {
    int x = 0;
    int y = 0;
};

/// How far a pixel is from where the body is looked for: 0 there, 1 where the search ends.
class SearchDistance {
  public:
    SearchDistance(const Picture& picture,
                   const Target& target,
                   const PointSpread& spread,
                   PixelPos middle)
        : area_(target.area()), predicted_(target.predicted), middle_(middle), wcs_(picture.wcs) {
        if (target.seenAt) {
            pixels_ = std::max(2.0, spread.fwhm());
        }
    }

    /// Pixels that it takes in on either side.
    [[nodiscard]] int reach() const {
        return static_cast<int>(
            std::ceil(pixels_.value_or(std::max(2.0, area_.reachArcsec() / wcs_.scaleArcsec()))));
    }

    [[nodiscard]] double of(int x, int y) const {
        const double pixels = std::hypot(x - middle_.x, y - middle_.y);
        if (pixels_) {
            return pixels / *pixels_;
        }
        const SkyPos there = wcs_.toSky({static_cast<double>(x), static_cast<double>(y)});
        return std::min(0.5 * pixels, area_.distance(toTangentPlane(predicted_, there)));
    }

  private:
    SearchArea area_;
    SkyPos predicted_;
    PixelPos middle_;
    const frame::Wcs& wcs_;
    std::optional<double> pixels_; ///< a circle of this radius instead
};

/// The most likely pixel: bright in the filter and near the prediction.
std::optional<Found> findPeak(const Picture& picture,
                              const Target& target,
                              const PointSpread& spread,
                              const StarForm& stars,
                              PixelPos predicted) {
    const SearchDistance search(picture, target, spread, predicted);
    const double threshold = leastSeen(target);
    const int reach = search.reach();
    const int cx = static_cast<int>(std::lround(predicted.x));
    const int cy = static_cast<int>(std::lround(predicted.y));
    const NeighbourSubtractedWindow window(
        picture, target, stars, predicted, reach + spread.radius() + 2);
    const PointFilter filter(spread);
    const auto snrAt = [&](int x, int y) { return window.snrAt(filter, x, y); };
    std::optional<Found> best;
    double bestScore = 0.0;
    for (int y = cy - reach; y <= cy + reach; ++y) {
        for (int x = cx - reach; x <= cx + reach; ++x) {
            const double distance = search.of(x, y);
            const double v = distance <= 1.0 ? snrAt(x, y) : 0.0;
            if (v < threshold) {
                continue;
            }
            bool highest = true;
            for (int q = -1; q <= 1 && highest; ++q) {
                for (int p = -1; p <= 1; ++p) {
                    highest = highest && snrAt(x + p, y + q) <= v;
                }
            }
            // The prior of the prediction: half of what is searched as one sigma.
            const double score = v * std::exp(-2.0 * distance * distance);
            if (highest && score > bestScore) {
                bestScore = score;
                best = Found{x, y};
            }
        }
    }
    return best;
}

/// The stars that shine into the fit's window.
std::vector<detect::Neighbour> neighboursOf(const Picture& picture,
                                            const Target& target,
                                            const PointSpread& spread,
                                            const StarForm& stars,
                                            const Found& peak) {
    std::vector<detect::Neighbour> neighbours;
    const double trails = spread.trailHalf() + stars.spread.trailHalf();
    for (const StarNearby& star : target.neighbours) {
        const double reach = wingReach(picture, star.flux.value_or(0.0)) + trails;
        const double distance = std::hypot(star.pixel.x - peak.x, star.pixel.y - peak.y);
        // Without an expected flux a star this near could take all the body's light.
        const double least = star.flux ? 0.0 : 0.8 * spread.fwhm();
        if (distance < reach && distance >= least) {
            const double flux = stars.share * star.flux.value_or(0.0);
            neighbours.push_back(
                {star.pixel.x,
                 star.pixel.y,
                 flux,
                 std::hypot(std::max(stars.error, star.error) * flux, std::sqrt(flux)),
                 &stars.spread,
                 isPlaceSeen(picture, flux) ? starPlaceError(picture) : 0.0});
        }
    }
    return neighbours;
}

std::string concernOf(const Picture& picture,
                      const Target& target,
                      const PointSpread& spread,
                      const Measured& measured) {
    for (const StarNearby& star : target.neighbours) {
        const double distance =
            std::hypot(star.pixel.x - measured.pixel.x, star.pixel.y - measured.pixel.y);
        if (star.error == 0.0 && distance < 0.5 * spread.fwhm() &&
            star.flux.value_or(1e9) > 0.05 * measured.flux) {
            return fmt::format("a catalogue star lies {:.1f} pixels away", distance);
        }
    }
    const int x = static_cast<int>(std::lround(measured.pixel.x));
    const int y = static_cast<int>(std::lround(measured.pixel.y));
    if (picture.image->contains(x, y) &&
        static_cast<double>(picture.image->at(x, y)) > picture.saturationElectrons) {
        return "saturated";
    }
    if (measured.chiSquare > 3.0) {
        return fmt::format("the fit is poor (reduced chi-square {:.1f})", measured.chiSquare);
    }
    return {};
}

/// The body where it went over the detector by `way` pixels.
Result<Measured>
measureAlong(const Picture& picture, const Target& target, PixelPos predicted, PixelPos way) {
    const PointSpread spread(picture.shape, way.x, way.y);
    const StarForm stars = starForm(picture, target, predicted);
    const auto peak = findPeak(picture, target, spread, stars, predicted);
    if (!peak) {
        return notSeen(target);
    }
    detect::PointFitOptions options;
    options.noise = picture.noise;
    options.lightVariance = picture.lightVariance;
    options.windowFwhm = picture.windowFwhm;
    options.mosaic = picture.mosaic;
    options.response = picture.response;
    options.maxShift = std::max(2.0, spread.fwhm());
    const auto neighbours = neighboursOf(picture, target, spread, stars, *peak);
    auto fit = detect::fitPoint(*picture.image, spread, peak->x, peak->y, neighbours, options);
    if (!fit) {
        return fail(fit.error());
    }
    Measured measured;
    measured.flux = fit->flux;
    measured.fluxError = fit->fluxError;
    measured.snr = fit->flux / fit->fluxError;
    measured.chiSquare = fit->chiSquare;
    if (!(measured.snr >= kLeastSnr)) {
        return fail(ErrorId::MeasureNotSeen, "The light found there is below 3 sigma.");
    }
    setPlace(
        picture, target, {{fit->x, fit->y}, fit->xError, fit->yError, fit->xyCovariance}, measured);
    setBrightness(picture, measured);
    measured.concern = concernOf(picture, target, spread, measured);
    return measured;
}

} // namespace

Result<Measured> measureBody(const Picture& picture, const Target& target) {
    PATHMARK_EXPECTS(picture.image != nullptr && picture.noise > 0.0);
    const auto predicted = predictedOn(*picture.image, picture, target);
    if (!predicted) {
        return fail(predicted.error());
    }
    std::optional<Result<Measured>> best;
    for (const PixelPos& way : waysOf(picture, target, *predicted)) {
        auto measured = measureAlong(picture, target, *predicted, way);
        if (!best || (measured && (!*best || measured->chiSquare < (*best)->chiSquare))) {
            best = std::move(measured);
        }
    }
    return std::move(*best);
}

} // namespace pathmark::measure
