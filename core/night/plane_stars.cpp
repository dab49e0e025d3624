#include "core/night/plane_stars.h"

#include "core/base/point_grid.h"
#include "core/detect/detect.h"

#include <cmath>
#include <optional>

namespace pathmark::night {
namespace {

constexpr double kLeastStarSnr = 20.0;
constexpr double kApertureWidths = 1.5;  ///< FWHM, radius
constexpr double kMostApartArcsec = 3.0; ///< of a star and the catalogue's

/// A star of the catalogue on the tangent plane, arcsec.
struct PlacedStar {
    double x = 0.0;
    double y = 0.0;
    double magG = 0.0;
    double colour = 0.0;
};

/// Gives stars their magnitudes of the catalogue.
class Names {
  public:
    Names(const catalog::StarStore* store, const stack::PixelGrid& grid, const Utc& time) {
        if (store == nullptr) {
            return;
        }
        const frame::PixelPos middle{0.5 * grid.width, 0.5 * grid.height};
        centre_ = grid.wcs.toSky(middle);
        const auto stars =
            store->field(centre_, separation(centre_, grid.wcs.toSky({0.0, 0.0})), time);
        if (!stars) {
            return;
        }
        for (const auto& star : *stars) {
            const PlanePos at = toTangentPlane(centre_, star.place);
            stars_.push_back(
                {at.xi / kRadiansPerArcsec, at.eta / kRadiansPerArcsec, star.magG, star.colour});
        }
        const double reach = separation(centre_, grid.wcs.toSky({0.0, 0.0})).arcsec() + 10.0;
        index_.emplace(
            stars_, std::max(kMostApartArcsec, reach / 300.0), -reach, -reach, reach, reach);
    }

    void give(const SkyPos& place, picture::PlaneStar& star) const {
        if (!index_) {
            return;
        }
        const PlanePos at = toTangentPlane(centre_, place);
        double nearest = kMostApartArcsec * kMostApartArcsec;
        index_->forNear(at.xi / kRadiansPerArcsec,
                        at.eta / kRadiansPerArcsec,
                        kMostApartArcsec,
                        [&](std::size_t i, double squared) {
                            if (squared <= nearest) {
                                nearest = squared;
                                star.magG = stars_[i].magG;
                                star.bpMinusRp = stars_[i].colour;
                            }
                        });
    }

  private:
    SkyPos centre_;
    std::vector<PlacedStar> stars_;
    std::optional<PointGrid<PlacedStar>> index_;
};

/// The light within a circle.
double lightAround(const frame::Image& image, frame::PixelPos at, double radius) {
    double sum = 0.0;
    for (int v = static_cast<int>(at.y - radius); v <= at.y + radius + 1.0; ++v) {
        for (int u = static_cast<int>(at.x - radius); u <= at.x + radius + 1.0; ++u) {
            if (image.contains(u, v) && std::hypot(u - at.x, v - at.y) <= radius) {
                sum += static_cast<double>(image.at(u, v));
            }
        }
    }
    return sum;
}

} // namespace

std::vector<picture::PlaneStar> planeStars(const std::array<const frame::Image*, 3>& planes,
                                           const catalog::StarStore* store,
                                           const stack::PixelGrid& grid,
                                           const Utc& time) {
    std::vector<picture::PlaneStar> stars;
    detect::DetectOptions options;
    options.looksAgain = false;
    const auto detection = detect::detectSources(*planes[1], options);
    if (!detection) {
        return stars;
    }
    const Names names(store, grid, time);
    const double radius = kApertureWidths * detection->fwhm;
    for (const auto& source : detection->sources) {
        if (source.snr < kLeastStarSnr || source.flags != 0) {
            continue;
        }
        picture::PlaneStar star;
        for (std::size_t c = 0; c < 3; ++c) {
            star.flux[c] = lightAround(*planes[c], {source.x, source.y}, radius);
        }
        names.give(grid.wcs.toSky({source.x, source.y}), star);
        stars.push_back(star);
    }
    return stars;
}
} // namespace pathmark::night
