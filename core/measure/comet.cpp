#include "core/measure/comet.h"

#include "core/base/parallel.h"
#include "core/calibrate/surface.h"
#include "core/measure/aperture.h"
#include "core/measure/coma_fit.h"
#include "core/measure/ring_profile.h"
#include "core/measure/small_circles.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::measure {
namespace {

using detect::PointSpread;
using frame::PixelPos;

constexpr double kRim = 2.0;     // extents to the end of the sky beside the comet
constexpr double kRimFrom = 1.5; // and to its beginning: coma reaches farther than it is seen
constexpr double kWhole =
    1.2; // extents that hold all light: what is too faint to stand out ring by ring is light too

/// Relative, of a catalogue star's light: catalogue, zero point, point-spread function.
constexpr double kStarDoubt = 0.05;

/// The smooth sky under a comet, of each site of a cell.
class BridgedSky {
  public:
    static Result<BridgedSky> make(const CometFrame& frame, PixelPos centre, double radius) {
        BridgedSky sky;
        sky.step_ = frame.picture.mosaic == nullptr ? 1 : 2;
        calibrate::SurfaceOptions options;
        options.protect = {{{centre.x / sky.step_, centre.y / sky.step_}, radius / sky.step_}};
        for (int site = 0; site < sky.step_ * sky.step_; ++site) {
            const frame::Image image = sky.step_ == 1
                                           ? *frame.electrons
                                           : detect::siteOf(*frame.electrons, site % 2, site / 2);
            const auto samples = calibrate::sampleSurface(image, options);
            Result<calibrate::Surface> surface = fail(ErrorId::CalibrateNoBackground, "");
            // Where little sky is left beside the comet, a plane.
            for (options.degree = 2; !surface && options.degree > 0; --options.degree) {
                auto own = samples;
                surface = calibrate::fitSurface(own, image.width(), image.height(), options);
            }
            if (!surface) {
                return fail(ErrorId::MeasureOutside,
                            "The comet fills the frame: there is no sky beside it.");
            }
            sky.surfaces_.push_back(std::move(*surface));
        }
        return sky;
    }

    [[nodiscard]] double at(int x, int y) const {
        const int site = step_ == 1 ? 0 : y % 2 * 2 + x % 2;
        const int column = x / step_; // of the site's own pixels
        const int row = y / step_;
        return surfaces_[static_cast<std::size_t>(site)].at(column, row);
    }

  private:
    int step_ = 1;
    std::vector<calibrate::Surface> surfaces_;
};

/// Everything that one comet's measurement works with.
class CometWork {
  public:
    CometWork(const CometFrame& frame, const Target& target)
        : frame_(frame), picture_(frame.picture),
          target_(target), off_{PointSpread(
                                    picture_.shape, picture_.starTrailX, picture_.starTrailY),
                                {}} {}

    Result<CometMeasured> run(const CometOptions& options) {
        const auto predicted = predictedOn(*frame_.electrons, picture_, target_);
        if (!predicted) {
            return fail(predicted.error());
        }
        predicted_ = *predicted;
        noise_ = typicalNoise();
        if (auto ready = bridgeSky(); !ready) {
            return fail(ready.error());
        }
        takeOffStars();
        // Without its stars the sky ends the coma sooner.
        extent_ = RingProfile(picture_, light_, predicted_, extent_).extent(noise_);
        levelAtRim();
        auto fit = fitNucleus();
        if (!fit) {
            return fail(fit.error());
        }
        if (options.centroid != ComaCentroid::Cusp) {
            const auto other = centroidOf(*fit, options.centroid);
            if (!other) {
                return fail(other.error());
            }
            fit->place = *other;
        }
        return summary(*fit, options);
    }

  private:
    /// Sigma of the sky in a pixel, brought to the mean of the colours.
    [[nodiscard]] double typicalNoise() const {
        if (picture_.mosaic == nullptr) {
            return picture_.noise;
        }
        double squares = 0.0;
        for (const int colour : {0, 1, 1, 2}) {
            squares += 0.25 * std::pow(picture_.mosaic->typicalNoise(colour), 2);
        }
        return std::sqrt(squares);
    }

    /// Takes the sky off a box about the comet; the circle that is no sky grows until nothing stands out at its rim.
    Result<bool> bridgeSky() {
        const int width = frame_.electrons->width();
        const int height = frame_.electrons->height();
        const double most = 0.4 * std::max(width, height);
        double radius = std::min(most, 0.15 * std::min(width, height));
        for (int round = 0; round < 5; ++round) {
            auto sky = BridgedSky::make(frame_, predicted_, radius);
            if (!sky) {
                return fail(sky.error());
            }
            subtract(*sky, 1.7 * radius);
            const RingProfile profile(picture_, light_, predicted_, 1.3 * radius);
            extent_ = profile.extent(noise_);
            const double wanted = std::clamp(1.25 * extent_, 20.0, most);
            if (extent_ < 0.9 * radius || radius >= most) {
                if (wanted < 0.7 * radius && round < 4) {
                    radius = wanted; // the nearer the sky is seen, the better it is known
                    continue;
                }
                return true;
            }
            radius = std::min(most, 1.6 * radius);
        }
        return true;
    }

    void subtract(const BridgedSky& sky, double reach) {
        light_ = frame::Image(frame_.electrons->width(), frame_.electrons->height());
        std::fill(light_.pixels().begin(), light_.pixels().end(), frame::kNoValue);
        const int half = static_cast<int>(std::ceil(reach)) + 2;
        const int x0 = std::max(0, static_cast<int>(predicted_.x) - half);
        const int x1 = std::min(light_.width() - 1, static_cast<int>(predicted_.x) + half);
        const int y0 = std::max(0, static_cast<int>(predicted_.y) - half);
        const int y1 = std::min(light_.height() - 1, static_cast<int>(predicted_.y) + half);
        const auto ceiling = static_cast<float>(picture_.saturationElectrons);
        parallelFor(static_cast<std::size_t>(std::max(0, y1 - y0 + 1)), [&](std::size_t row) {
            const int y = y0 + static_cast<int>(row);
            for (int x = x0; x <= x1; ++x) {
                const float value = frame_.electrons->at(x, y);
                if (value < ceiling) {
                    light_.at(x, y) = value - static_cast<float>(sky.at(x, y));
                }
            }
        });
    }

    /// Catalogue stars with the flux that they have above the mean profile of the coma.
    void takeOffStars() {
        const PointSpread& spread = off_.spread;
        const RingProfile profile(picture_, light_, predicted_, kRim * extent_ + spread.radius());
        for (const StarNearby& star : target_.neighbours) {
            const double distance =
                std::hypot(star.pixel.x - predicted_.x, star.pixel.y - predicted_.y);
            const double flux = star.flux.value_or(0.0);
            // What is lost in the noise is so in the sky beside the comet too.
            if (distance > kRim * extent_ + spread.radius() ||
                flux * std::sqrt(spread.squareSum()) < noise_) {
                continue;
            }
            const double own = fluxOf(spread, profile, star.pixel, flux, distance);
            takeOff(spread, star.pixel, own);
            off_.stars.push_back(
                {star.pixel, std::hypot(std::max(kStarDoubt, star.error) * own, std::sqrt(own))});
        }
    }

    /// Beside the comet the light of faint stars is sky too, under it their light was taken off: what is left just outside is zero.
    void levelAtRim() {
        const RingProfile profile(picture_, light_, predicted_, kRim * extent_);
        const RingProfile::Level rim = profile.rimLevel(kRimFrom * extent_);
        const auto level = static_cast<float>(rim.value);
        rimError_ = rim.error;
        for (int y = 0; y < light_.height(); ++y) {
            for (int x = 0; x < light_.width(); ++x) {
                light_.at(x, y) -= level * static_cast<float>(responseAt(picture_, x, y));
            }
        }
    }

    /// Calls body(x, y, share of the star's flux in that pixel).
    template <typename Body>
    void forPixels(const PointSpread& spread, PixelPos at, const Body& body) const {
        const int cx = static_cast<int>(std::lround(at.x));
        const int cy = static_cast<int>(std::lround(at.y));
        for (int y = cy - spread.radius(); y <= cy + spread.radius(); ++y) {
            for (int x = cx - spread.radius(); x <= cx + spread.radius(); ++x) {
                if (light_.contains(x, y) && std::isfinite(light_.at(x, y))) {
                    body(x, y, responseAt(picture_, x, y) * spread.at(x - at.x, y - at.y).value);
                }
            }
        }
    }

    [[nodiscard]] double fluxOf(const PointSpread& spread,
                                const RingProfile& profile,
                                PixelPos at,
                                double expected,
                                double distance) const {
        // In the inner coma the mean profile is no ground to stand on, and faint stars say nothing of their own.
        if (distance < 4.0 * spread.fwhm() + spread.trailHalf() ||
            expected * std::sqrt(spread.squareSum()) < 10.0 * noise_) {
            return expected;
        }
        double sum = 0.0;
        double squares = 0.0;
        forPixels(spread, at, [&](int x, int y, double share) {
            const double ground = responseAt(picture_, x, y) *
                                  profile.at(std::hypot(x - predicted_.x, y - predicted_.y));
            sum += share * (static_cast<double>(light_.at(x, y)) - ground);
            squares += share * share;
        });
        return squares > 0.0 ? std::clamp(sum / squares, 0.5 * expected, 2.0 * expected) : expected;
    }

    void takeOff(const PointSpread& spread, PixelPos at, double flux) {
        forPixels(spread, at, [&](int x, int y, double share) {
            light_.at(x, y) -= static_cast<float>(flux * share);
        });
    }

    /// Signal-to-noise of a point at a pixel of what is left of the sky.
    [[nodiscard]] double snrAt(const PointSpread& spread, int x, int y) const {
        const int core = std::max(1, static_cast<int>(std::ceil(spread.fwhm())));
        double sum = 0.0;
        double squares = 0.0;
        for (int q = -core; q <= core; ++q) {
            for (int p = -core; p <= core; ++p) {
                if (light_.contains(x + p, y + q) && std::isfinite(light_.at(x + p, y + q))) {
                    const double share = responseAt(picture_, x + p, y + q) * spread.at(p, q).value;
                    sum += share * static_cast<double>(light_.at(x + p, y + q));
                    squares += share * share;
                }
            }
        }
        return squares > 0.0 ? sum / std::sqrt(squares) / noise_ : 0.0;
    }

    /// The brightest point near the prediction. Where the light rises on beyond what is searched, it is the flank of a coma
    /// whose nucleus is elsewhere.
    Result<PixelPos> peak() {
        const PointSpread spread(picture_.shape);
        const double reach =
            std::max(3.0, target_.area().reachArcsec() / picture_.wcs.scaleArcsec());
        const double around = reach + std::max(2.0, 0.5 * spread.fwhm());
        const int half = static_cast<int>(std::ceil(around));
        double best = 0.0;
        double bestDistance = 0.0;
        PixelPos place{};
        for (int j = -half; j <= half; ++j) {
            for (int i = -half; i <= half; ++i) {
                const int x = static_cast<int>(std::lround(predicted_.x)) + i;
                const int y = static_cast<int>(std::lround(predicted_.y)) + j;
                if (std::hypot(i, j) > around || !light_.contains(x, y)) {
                    continue;
                }
                const double snr = snrAt(spread, x, y);
                if (snr > best) {
                    best = snr;
                    bestDistance = std::hypot(i, j);
                    place = {static_cast<double>(x), static_cast<double>(y)};
                }
            }
        }
        if (!(best >= kLeastSnr)) {
            return notSeen(target_);
        }
        if (bestDistance > around - 1.0) {
            return fail(ErrorId::MeasureNotSeen,
                        fmt::format("The light rises on beyond {:.1f} arcsec from the predicted "
                                    "place; the orbit may be old, search further.",
                                    target_.area().reachArcsec()));
        }
        return place;
    }

    /// The comet's point-spread functions that are possible: stars that are longer than broad may have been drawn so by the mount,
    /// which the comet did not follow in the same way.
    [[nodiscard]] std::vector<PointSpread> spreads() const {
        std::vector<PointSpread> all;
        for (const PixelPos& way : waysOf(picture_, target_, predicted_)) {
            all.emplace_back(picture_.shape, way.x, way.y);
        }
        const auto drawn = detect::drawnOut(picture_.shape);
        if (!drawn || all.size() > 1) {
            return all;
        }
        const PixelPos own = motionInPixels(picture_, target_, predicted_, target_.trailSeconds);
        for (const double share : {-1.25, -1.0, -0.75, 0.75, 1.0, 1.25}) {
            all.emplace_back(
                drawn->core, own.x + share * drawn->trailX, own.y + share * drawn->trailY);
        }
        return all;
    }

    Result<ComaFit> fitNucleus() {
        const auto start = peak();
        if (!start) {
            return fail(start.error());
        }
        std::vector<PointSpread> possible = spreads();
        std::size_t best = 0;
        double least = std::numeric_limits<double>::infinity();
        for (std::size_t i = 0; i < possible.size() && possible.size() > 1; ++i) {
            const auto fit = fitComa(light_, picture_, *start, possible[i], off_, kUsualSlope);
            if (fit && fit->chiSquare < least) {
                least = fit->chiSquare;
                best = i;
            }
        }
        spread_ = possible[best];
        return fitComa(light_, picture_, *start, *spread_, off_);
    }

    /// What brings the pixels of a colour to the mean of the coma's colours.
    [[nodiscard]] std::array<double, 3> toMean(const ComaFit& fit) const {
        std::array<double, 3> factors{1.0, 1.0, 1.0};
        if (picture_.mosaic == nullptr) {
            return factors;
        }
        const double mean =
            detect::meanOfCell(fit.brightness[0], fit.brightness[1], fit.brightness[2]);
        for (std::size_t c = 0; c < 3; ++c) {
            const double star =
                picture_.response.mean() / picture_.response.of(static_cast<int>(c));
            const bool isSure = fit.brightness[c] > 20.0 * fit.brightnessError[c];
            factors[c] = isSure ? mean / fit.brightness[c] : star;
        }
        return factors;
    }

    [[nodiscard]] CometAperture
    aperture(const ComaFit& fit, const RingProfile& profile, double radius) const {
        const auto factors = toMean(fit);
        const int half = static_cast<int>(std::ceil(radius)) + 1;
        const int cx = static_cast<int>(std::lround(fit.place.pixel.x));
        const int cy = static_cast<int>(std::lround(fit.place.pixel.y));
        CometAperture result;
        double area = 0.0;
        for (int y = cy - half; y <= cy + half; ++y) {
            for (int x = cx - half; x <= cx + half; ++x) {
                const double dx = x - fit.place.pixel.x;
                const double dy = y - fit.place.pixel.y;
                const double share = shareInside(dx, dy, radius);
                if (share <= 0.0) {
                    continue;
                }
                area += share;
                const bool isKnown = light_.contains(x, y) && std::isfinite(light_.at(x, y));
                const auto colour = static_cast<std::size_t>(
                    picture_.mosaic != nullptr && isKnown ? picture_.mosaic->colourAt(x, y) : 1);
                // What is not known, or off the frame, is as bright as its ring.
                result.flux +=
                    share * (isKnown ? factors[colour] * static_cast<double>(light_.at(x, y))
                                     : profile.at(std::hypot(dx, dy)));
            }
        }
        result.radiusArcsec = radius * picture_.wcs.scaleArcsec();
        const double sky = std::hypot(kSkyDoubt * noise_, rimError_) * area;
        result.fluxError =
            std::sqrt(area * noise_ * noise_ + picture_.lightVariance * std::max(0.0, result.flux) +
                      sky * sky);
        return result;
    }

    [[nodiscard]] std::vector<CometAperture> circles(const ComaFit& fit,
                                                     const RingProfile& profile,
                                                     const std::vector<double>& arcsec) const {
        std::vector<double> radii;
        radii.reserve(arcsec.size());
        for (const double radius : arcsec) {
            radii.push_back(radius / picture_.wcs.scaleArcsec());
        }
        const PixelPos at = fit.place.pixel;
        const auto factors = unevenPixelFactors(
            *spread_, fit.slope, {at.x - std::round(at.x), at.y - std::round(at.y)}, radii);
        const auto shares = sharesAfterSeeing(*spread_, fit.slope, radii);
        std::vector<CometAperture> all;
        all.reserve(radii.size());
        for (std::size_t i = 0; i < radii.size(); ++i) {
            CometAperture one = aperture(fit, profile, radii[i]);
            one.flux *= factors[i];
            one.fluxError *= factors[i];
            one.seeingShare = shares[i];
            setMagnitude(one);
            all.push_back(one);
        }
        return all;
    }

    /// Of a star 4 to 8 % of its light lie beyond two widths; a nucleus may be as sharp, its coma is not.
    static bool isWiderThanAStar(const CometAperture& whole, const CometAperture& core) {
        return whole.flux - core.flux > 0.15 * core.flux + 3.0 * whole.fluxError;
    }

    void setMagnitude(CometAperture& aperture) const {
        Measured whole;
        whole.flux = aperture.flux;
        whole.fluxError = aperture.fluxError;
        setBrightness(picture_, whole);
        aperture.magnitude = whole.magnitude;
        aperture.magnitudeError = whole.magnitudeError;
    }

    [[nodiscard]] bool isSaturated(PixelPos at) const {
        const int reach = std::max(1, static_cast<int>(picture_.shape.fwhm()));
        for (int j = -reach; j <= reach; ++j) {
            for (int i = -reach; i <= reach; ++i) {
                const int x = static_cast<int>(std::lround(at.x)) + i;
                const int y = static_cast<int>(std::lround(at.y)) + j;
                if (frame_.electrons->contains(x, y) &&
                    static_cast<double>(frame_.electrons->at(x, y)) >=
                        picture_.saturationElectrons) {
                    return true;
                }
            }
        }
        return false;
    }

    /// Another centre of the light than the cusp of the coma.
    [[nodiscard]] Result<FittedPlace> centroidOf(const ComaFit& fit, ComaCentroid which) const {
        frame::Image ofOneColour = light_;
        const auto factors = toMean(fit);
        for (int y = 0; picture_.mosaic != nullptr && y < light_.height(); ++y) {
            for (int x = 0; x < light_.width(); ++x) {
                const auto colour = static_cast<std::size_t>(picture_.mosaic->colourAt(x, y));
                ofOneColour.at(x, y) *= static_cast<float>(factors[colour]);
            }
        }
        const double fwhm = picture_.shape.fwhm();
        const double radius = std::clamp(0.5 * extent_, 3.0 * fwhm, 8.0 * fwhm);
        return comaCentroid(which,
                            {ofOneColour, *spread_, noise_, picture_.lightVariance},
                            fit.place.pixel,
                            radius);
    }

    Result<CometMeasured> summary(const ComaFit& fit, const CometOptions& options) const {
        CometMeasured result;
        result.centroid = options.centroid;
        Measured& nucleus = result.nucleus;
        nucleus.chiSquare = fit.chiSquare;
        setPlace(picture_, target_, fit.place, nucleus);
        result.slope = fit.slope;
        result.extentArcsec = extent_ * picture_.wcs.scaleArcsec();
        const RingProfile profile(picture_, light_, fit.place.pixel, kRim * extent_);
        result.apertures = circles(fit, profile, options.aperturesArcsec);
        const CometAperture whole =
            aperture(fit, profile, std::max(kWhole * extent_, 3.0 * picture_.shape.fwhm()));
        nucleus.flux = whole.flux;
        nucleus.snr = whole.flux / whole.fluxError;
        // A coma does not end where it is lost in the noise: what lies just beyond may as well be missing once more.
        const CometAperture beyond = aperture(fit, profile, kRimFrom * extent_);
        nucleus.fluxError = std::hypot(whole.fluxError, beyond.flux - whole.flux);
        if (!(nucleus.snr >= kLeastSnr)) {
            return fail(ErrorId::MeasureNotSeen, "The light found there is below 3 sigma.");
        }
        setBrightness(picture_, nucleus);
        if (isSaturated(fit.place.pixel)) {
            nucleus.concern = "saturated";
        } else if (fit.slope > kMostSlope - 0.01 &&
                   !isWiderThanAStar(whole, aperture(fit, profile, 2.0 * picture_.shape.fwhm()))) {
            nucleus.concern =
                "as sharp as a star: no coma is seen, so it may be another body's light";
        }
        return result;
    }

    const CometFrame& frame_;
    const Picture& picture_;
    const Target& target_;
    PixelPos predicted_{};
    double noise_ = 1.0;
    double extent_ = 0.0;               ///< pixels
    double rimError_ = 0.0;             ///< of the level that counts as zero, in a pixel
    frame::Image light_;                ///< the sky taken off; NaN outside the box
    std::optional<PointSpread> spread_; ///< of the comet, its trail in it; by fitNucleus()
    StarsTakenOff off_;
};

} // namespace

std::optional<double> CometAperture::magnitudeWithoutSeeing() const {
    return magnitude ? std::optional(*magnitude + 2.5 * std::log10(seeingShare)) : std::nullopt;
}

Result<CometMeasured>
measureComet(const CometFrame& frame, const Target& target, const CometOptions& options) {
    PATHMARK_EXPECTS(frame.electrons != nullptr);
    return CometWork(frame, target).run(options);
}

} // namespace pathmark::measure
