#include "core/night/star_sources.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

/// Stars as bright together as this share of a source's light explain it.
constexpr double kEnoughLight = 0.5;
/// How far from a source they may lie, in FWHM; two pixels at least.
constexpr double kReach = 1.5;
/// From what is measured: so near to it every star is told of.
constexpr double kBesideFwhm = 8.0;

} // namespace

double electronsOf(const catalog::Star& star,
                   const solve::PhotometricMatch& photometry,
                   double exposureSeconds) {
    const double colour = std::isfinite(star.colour) ? star.colour : solve::kReferenceColour;
    return solve::toElectrons(
        photometry, catalog::toBand(photometry.band, star.magG, colour), exposureSeconds, colour);
}

std::optional<measure::StarNearby> starOn(const measure::Picture& picture,
                                          const catalog::Star& star) {
    const auto pixel = picture.wcs.toPixel(star.place);
    if (!pixel) {
        return std::nullopt;
    }
    measure::StarNearby near{*pixel, std::nullopt, 0.0};
    if (picture.photometry) {
        near.flux = electronsOf(star, *picture.photometry, picture.exposureSeconds);
    }
    return near;
}

std::vector<measure::StarNearby>
starsOn(const measure::Picture& picture,
        const catalog::StarStore& store,
        const StarsAbout& about,
        const std::function<bool(const catalog::Star&, frame::PixelPos)>& isLeftOut) {
    std::vector<measure::StarNearby> nearby;
    const auto stars = store.field(about.place, about.reach, about.time);
    if (!stars) {
        return nearby;
    }
    for (const catalog::Star& star : *stars) {
        if (const auto near = starOn(picture, star); near && !isLeftOut(star, near->pixel)) {
            nearby.push_back(*near);
        }
    }
    return nearby;
}

std::vector<measure::StarNearby>
starsBeside(const measure::Picture& picture,
            const catalog::StarStore& store,
            const StarsAbout& about,
            const std::function<bool(const catalog::Star&, frame::PixelPos)>& isLeftOut) {
    const auto middle = picture.wcs.toPixel(about.place);
    if (!middle) {
        return {};
    }
    const double fwhm = picture.shape.fwhm();
    const double window = picture.windowFwhm * fwhm;
    const double scale = picture.wcs.scaleArcsec();
    const double around = about.reach.arcsec() / scale;
    const Angle reach =
        Angle::arcsec((around + window + measure::kFarthestWingFwhm * fwhm) * scale);
    auto stars = starsOn(picture, store, {about.place, reach, about.time}, isLeftOut);
    const double near = around + kBesideFwhm * fwhm + 4.0;
    std::erase_if(stars, [&](const measure::StarNearby& star) {
        const double distance = std::hypot(star.pixel.x - middle->x, star.pixel.y - middle->y);
        return distance > near &&
               distance > around + window + measure::wingReach(picture, star.flux.value_or(0.0));
    });
    return stars;
}

std::vector<std::size_t> sourcesOnStars(const detect::Detection& detection,
                                        const solve::Solution& solution,
                                        const std::optional<solve::PhotometricMatch>& photometry,
                                        double exposureSeconds,
                                        const Utc& date,
                                        solve::FrameSize size,
                                        const catalog::StarStore& store) {
    std::vector<char> taken(detection.sources.size(), 0);
    for (const solve::MatchedStar& match : solution.matched) {
        taken[match.source] = 1;
    }
    const double half = 0.53 * size.diagonal() * solution.wcs.scaleArcsec();
    if (const auto field =
            store.field(solution.wcs.toSky(size.middle()), Angle::arcsec(half), date)) {
        const solve::PlacedStars placed(*field, solution.wcs, size, 4.0);
        const double reach = std::max(2.0, kReach * detection.fwhm);
        for (std::size_t i = 0; i < taken.size(); ++i) {
            if (taken[i] != 0) {
                continue;
            }
            const detect::Source& source = detection.sources[i];
            double light = 0.0;
            placed.forNear({source.x, source.y}, reach, [&](std::size_t star, double) {
                light +=
                    photometry
                        ? electronsOf((*field)[placed.star(star)], *photometry, exposureSeconds)
                        : source.flux;
            });
            taken[i] = light > kEnoughLight * source.flux ? 1 : 0;
        }
    }
    std::vector<std::size_t> indices;
    for (std::size_t i = 0; i < taken.size(); ++i) {
        if (taken[i] != 0) {
            indices.push_back(i);
        }
    }
    return indices;
}

} // namespace pathmark::night
