#include "core/night/then_and_now.h"

#include "core/base/point_grid.h"
#include "core/base/robust.h"
#include "core/detect/detect.h"
#include "core/night/then_widths.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kLeastSnr = 5.0;
constexpr double kStarSnr = 8.0;
constexpr double kMissingErrors = 5.0;
constexpr double kMissingShare = 0.4;
constexpr std::size_t kFewestStars = 10;
constexpr std::size_t kLikeStars =
    31; ///< of about the brightness, that say what a source should be like
constexpr double kGoneSnr = 10.0;
constexpr double kBlendWidths =
    1.8; ///< star widths within which a star may be part of a light of then
constexpr double kConfirmPixels = 4.0; ///< a slow body moves less from frame to frame
constexpr double kKnownArcsec = 6.0;

double apart(const frame::PixelPos& a, const frame::PixelPos& b) {
    return std::hypot(a.x - b.x, a.y - b.y);
}

/// Places on a picture, to be looked up.
class FoundPlaces {
  public:
    FoundPlaces(std::vector<frame::PixelPos> places, int width, int height)
        : places_(std::move(places)), grid_(places_, kCell, 0.0, 0.0, width, height) {}

    FoundPlaces(const FoundPlaces&) = delete; // the grid looks at the list
    FoundPlaces& operator=(const FoundPlaces&) = delete;

    /// Whether one stands within `reach` for which isWanted(its number) holds.
    template <class Wanted>
    [[nodiscard]] bool
    anyNear(const frame::PixelPos& place, double reach, const Wanted& isWanted) const {
        bool any = false;
        grid_.forNear(
            place.x, place.y, reach, [&](std::size_t i, double) { any = any || isWanted(i); });
        return any;
    }

    [[nodiscard]] bool anyNear(const frame::PixelPos& place, double reach) const {
        return anyNear(place, reach, [](std::size_t) { return true; });
    }

  private:
    static constexpr double kCell = 24.0; ///< pixels

    std::vector<frame::PixelPos> places_;
    PointGrid<frame::PixelPos> grid_;
};

std::vector<frame::PixelPos> placesOf(const std::vector<SourceRecord>& sources) {
    std::vector<frame::PixelPos> places;
    for (const SourceRecord& source : sources) {
        places.push_back(source.pixel);
    }
    return places;
}

std::vector<frame::PixelPos> placesOf(const std::vector<detect::Source>& sources) {
    std::vector<frame::PixelPos> places;
    for (const detect::Source& source : sources) {
        places.push_back({source.x, source.y});
    }
    return places;
}

/// Circles on the picture of then: the mean within a radius, less the median of a ring about it.
class Circles {
  public:
    Circles(const frame::Image& image, double radius) : image_(image), radius_(radius) {}

    [[nodiscard]] double radius() const { return radius_; }

    /// Nothing where the picture has no values.
    [[nodiscard]] std::optional<double> at(const frame::PixelPos& middle) const {
        const int reach = static_cast<int>(std::ceil(4.0 * radius_));
        const int column = static_cast<int>(std::lround(middle.x));
        const int row = static_cast<int>(std::lround(middle.y));
        if (column < reach || row < reach || column >= image_.width() - reach ||
            row >= image_.height() - reach) {
            return std::nullopt;
        }
        double sum = 0.0;
        int count = 0;
        std::vector<double> ring;
        for (int y = row - reach; y <= row + reach; ++y) {
            for (int x = column - reach; x <= column + reach; ++x) {
                const double off = std::hypot(x - middle.x, y - middle.y);
                const float value = image_.at(x, y);
                if (!std::isfinite(value)) {
                    if (off < 2.0 * radius_) {
                        return std::nullopt;
                    }
                    continue;
                }
                if (off <= radius_) {
                    sum += static_cast<double>(value);
                    ++count;
                } else if (off >= 2.5 * radius_ && off <= 4.0 * radius_) {
                    ring.push_back(static_cast<double>(value));
                }
            }
        }
        if (count == 0 || ring.size() < 10) {
            return std::nullopt;
        }
        return sum / count - medianInPlace(std::span(ring));
    }

  private:
    const frame::Image& image_;
    double radius_;
};

/// A star of both pictures: its light now, and what its circle holds then.
struct CommonStar {
    double flux = 0.0;
    double circle = 0.0;
};

/// What a source of some brightness is like in the picture of then.
class Likeness {
  public:
    explicit Likeness(std::vector<CommonStar> stars) : stars_(std::move(stars)) {
        std::sort(stars_.begin(), stars_.end(), [](const CommonStar& a, const CommonStar& b) {
            return a.flux < b.flux;
        });
    }

    struct Expected {
        double circle = 0.0;
        double scatter = 0.0;
    };

    [[nodiscard]] Expected of(double flux) const {
        const auto above = std::lower_bound(
            stars_.begin(), stars_.end(), flux, [](const CommonStar& star, double value) {
                return star.flux < value;
            });
        const auto middle = static_cast<std::size_t>(above - stars_.begin());
        const std::size_t count = std::min(kLikeStars, stars_.size());
        const std::size_t first =
            std::min(stars_.size() - count, middle > count / 2 ? middle - count / 2 : 0);
        // In proportion to the light: over so few magnitudes any picture is nearly linear.
        std::vector<double> circles;
        for (std::size_t i = first; i < first + count; ++i) {
            circles.push_back(stars_[i].circle * flux / stars_[i].flux);
        }
        const double value = medianInPlace(std::span(circles));
        for (double& circle : circles) {
            circle = std::abs(circle - value);
        }
        return {value, 1.4826 * medianInPlace(std::span(circles))};
    }

  private:
    std::vector<CommonStar> stars_;
};

/// One look at two pictures.
class Comparison {
  public:
    Comparison(const frame::Image& then,
               const DifferenceRequest& request,
               const detect::Detection& found)
        : request_(request), light_(*request.now.light), found_(found),
          fwhm_(starWidth(then, request.now.sources, found.fwhm)),
          circles_(then, std::max(1.5, 0.7 * fwhm_)), width_(then.width()), height_(then.height()),
          now_(placesOf(request.now.sources), width_, height_),
          then_(placesOf(found.sources), width_, height_) {}

    Result<std::vector<DifferingLight>> lights();

  private:
    [[nodiscard]] bool isAlone(const SourceRecord& source) const;

    [[nodiscard]] double skyScatter() const;
    [[nodiscard]] bool isConfirmed(const SkyPos& sky) const;
    [[nodiscard]] bool standsThen(const frame::PixelPos& pixel) const;
    [[nodiscard]] std::string knownAt(const SkyPos& sky) const;
    [[nodiscard]] std::optional<double> magnitudeOf(double flux) const;
    void
    addNew(const Likeness& likeness, double scatter, std::vector<DifferingLight>& lights) const;
    void addGone(std::vector<DifferingLight>& lights) const;

    const DifferenceRequest& request_;
    const LightRecord& light_;
    const detect::Detection& found_;
    double fwhm_; ///< of stars in the picture of then
    Circles circles_;
    int width_;
    int height_;
    FoundPlaces now_;  ///< of the sources of now
    FoundPlaces then_; ///< of what was found in the picture of then
};

bool Comparison::isAlone(const SourceRecord& source) const {
    const double reach = std::max(4.0 * circles_.radius(), 3.0 * light_.fwhmPixels);
    return !now_.anyNear(source.pixel, reach, [&](std::size_t i) {
        const SourceRecord& other = request_.now.sources[i];
        return &other != &source && other.flux > 0.05 * source.flux;
    });
}

/// Of circles on a lattice of places where now shows nothing.
double Comparison::skyScatter() const {
    constexpr int kAlong = 45;
    std::vector<double> values;
    for (int j = 1; j < kAlong; ++j) {
        for (int i = 1; i < kAlong; ++i) {
            const frame::PixelPos place{static_cast<double>(width_) * i / kAlong,
                                        static_cast<double>(height_) * j / kAlong};
            const double reach = 3.0 * circles_.radius();
            const bool isEmpty = !now_.anyNear(place, reach);
            if (const auto circle = isEmpty ? circles_.at(place) : std::nullopt) {
                values.push_back(std::abs(*circle));
            }
        }
    }
    return values.empty() ? 0.0 : 1.4826 * medianInPlace(std::span(values));
}

bool Comparison::isConfirmed(const SkyPos& sky) const {
    if (request_.others.empty()) {
        return true;
    }
    return std::any_of(request_.others.begin(), request_.others.end(), [&](const NowFrame& other) {
        const auto pixel = other.light->wcs->toPixel(sky);
        return pixel &&
               std::any_of(
                   other.sources.begin(), other.sources.end(), [&](const SourceRecord& source) {
                       return !source.isStar && apart(source.pixel, *pixel) < kConfirmPixels;
                   });
    });
}

bool Comparison::standsThen(const frame::PixelPos& pixel) const {
    return then_.anyNear(pixel, std::max(2.0, 0.5 * fwhm_));
}

std::string Comparison::knownAt(const SkyPos& sky) const {
    for (const PredictionRecord& p : request_.known) {
        if (p.frame == light_.frame && !p.candidate &&
            separation(p.surelyAt().value_or(p.sky), sky).arcsec() < kKnownArcsec) {
            return p.title.empty() ? p.body.text() : p.title;
        }
    }
    return {};
}

std::optional<double> Comparison::magnitudeOf(double flux) const {
    return light_.photometry && flux > 0.0
               ? std::optional(solve::toMagnitude(
                     *light_.photometry, flux, light_.exposureSeconds, solve::kBodyColour))
               : std::nullopt;
}

void Comparison::addNew(const Likeness& likeness,
                        double scatter,
                        std::vector<DifferingLight>& lights) const {
    for (const SourceRecord& source : request_.now.sources) {
        const SkyPos sky = light_.wcs->toSky(source.pixel);
        if (source.isStar || source.snr < kLeastSnr || !(source.flux > 0.0) ||
            (source.flags & detect::kSharp) != 0) {
            continue;
        }
        const auto circle = circles_.at(source.pixel);
        if (!circle || standsThen(source.pixel)) {
            continue;
        }
        const Likeness::Expected expected = likeness.of(source.flux);
        const double over =
            (expected.circle - *circle) / std::hypot(scatter, expected.scatter / 3.0);
        if (over < kMissingErrors || *circle > kMissingShare * expected.circle) {
            continue;
        }
        DifferingLight light;
        light.known = knownAt(sky);
        const bool isInComa = std::any_of(request_.comae.begin(),
                                          request_.comae.end(),
                                          [&](const SkyCircle& coma) { return coma.holds(sky); });
        if (light.known.empty() && (isInComa || !isConfirmed(sky))) {
            continue;
        }
        light.pixel = source.pixel;
        light.sky = sky;
        light.snr = source.snr;
        light.magnitude = magnitudeOf(source.flux);
        light.overLimit = over;
        lights.push_back(std::move(light));
    }
}

void Comparison::addGone(std::vector<DifferingLight>& lights) const {
    const double reach = std::max(3.0, fwhm_);
    std::vector<frame::PixelPos> stood; ///< stars of the catalogue, at the epoch of then
    if (request_.stars != nullptr && request_.epoch) {
        const Angle radius =
            Angle::arcsec(0.6 * std::hypot(width_, height_) * light_.wcs->scaleArcsec());
        if (const auto stars = request_.stars->field(light_.skyMiddle(), radius, *request_.epoch)) {
            for (const catalog::Star& star : *stars) {
                if (const auto pixel = light_.wcs->toPixel(star.place)) {
                    stood.push_back(*pixel);
                }
            }
        }
    }
    const FoundPlaces stars(std::move(stood), width_, height_);
    for (const detect::Source& source : found_.sources) {
        const frame::PixelPos pixel{source.x, source.y};
        const SkyPos sky = light_.wcs->toSky(pixel);
        const bool isInside = pixel.x > reach && pixel.y > reach && pixel.x < width_ - reach &&
                              pixel.y < height_ - reach;
        if (source.snr < kGoneSnr || !isInside ||
            // Two stars that the older picture does not part are one light between them.
            stars.anyNear(pixel, kBlendWidths * fwhm_) || now_.anyNear(pixel, reach)) {
            continue;
        }
        DifferingLight light;
        light.isNew = false;
        light.pixel = pixel;
        light.sky = sky;
        light.snr = source.snr;
        light.overLimit = source.snr;
        lights.push_back(std::move(light));
    }
}

Result<std::vector<DifferingLight>> Comparison::lights() {
    std::vector<CommonStar> stars;
    for (const SourceRecord& source : request_.now.sources) {
        if (source.snr < kStarSnr || !isAlone(source)) {
            continue;
        }
        if (const auto circle = circles_.at(source.pixel)) {
            stars.push_back({source.flux, *circle});
        }
    }
    if (stars.size() < kFewestStars) {
        return fail(ErrorId::SolveTooFewStars,
                    fmt::format("The two pictures have {} stars in common; ten are needed to tell "
                                "what is missing.",
                                stars.size()));
    }
    std::vector<DifferingLight> lights;
    addNew(Likeness(std::move(stars)), skyScatter(), lights);
    addGone(lights);
    std::stable_sort(lights.begin(), lights.end(), [](const auto& a, const auto& b) {
        return a.isNew != b.isNew ? a.isNew : a.overLimit > b.overLimit;
    });
    return lights;
}

} // namespace

Result<std::vector<DifferingLight>> differingLights(const frame::Image& then,
                                                    const DifferenceRequest& request) {
    const auto found = detect::detectSources(then, {});
    if (!found) {
        return fail(found.error());
    }
    return Comparison(then, request, *found).lights();
}

std::vector<DifferingLight> lightsWithin(std::vector<DifferingLight> lights,
                                         const SkyCircle& circle) {
    std::erase_if(lights, [&](const DifferingLight& light) { return !circle.holds(light.sky); });
    return lights;
}

} // namespace pathmark::night
