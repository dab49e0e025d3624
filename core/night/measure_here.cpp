#include "core/night/measure_here.h"

#include "core/catalog/band.h"
#include "core/detect/background.h"
#include "core/detect/detect.h"
#include "core/measure/measure_body.h"
#include "core/night/coma_part.h"
#include "core/night/measure_file.h"
#include "core/night/picture_window.h"
#include "core/night/recipe.h"
#include "core/night/star_sources.h"
#include "core/night/uncatalogued.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kHalfFwhm = 12.0;  ///< of what is read: enough for the level of the sky
constexpr double kTrailFwhm = 36.0; ///< of what is read where a trail's length is not known
constexpr double kFitFwhm = 4.0;    ///< half side of the picture of a fit
constexpr double kWide = 4.0;       ///< times what is read: where stars are looked for

/// The catalogue's star that stands at a place, the brightest of several.
std::optional<catalog::Star>
starAt(const catalog::StarStore& store, const SkyPos& place, const Utc& time, double withinArcsec) {
    const auto stars = store.field(place, Angle::arcsec(withinArcsec), time);
    if (!stars) {
        return std::nullopt;
    }
    const auto star = std::find_if(stars->begin(), stars->end(), [&](const catalog::Star& s) {
        return separation(s.place, place).arcsec() < withinArcsec;
    });
    return star == stars->end() ? std::nullopt : std::optional(*star);
}

measure::Target targetOf(const HandAim& aim, double exposureSeconds) {
    const double angle = aim.positionAngleDegrees * kRadiansPerDegree;
    measure::Target target;
    target.predicted = aim.place;
    target.seenAt = aim.place;
    target.isPlace = true;
    target.xiRateArcsecPerMin = aim.rateArcsecPerMin * std::sin(angle);
    target.etaRateArcsecPerMin = aim.rateArcsecPerMin * std::cos(angle);
    target.trailSeconds = aim.rateArcsecPerMin > 0.0 ? exposureSeconds : 0.0;
    return target;
}

/// The light at a place, its position as given.
Result<measure::Measured>
measureAt(const measure::Picture& picture, const measure::Target& target, frame::PixelPos place) {
    const auto light = measure::lightAt(picture, target, place);
    if (!light) {
        return fail(light.error());
    }
    measure::Measured measured;
    measured.flux = light->flux;
    measured.fluxError = light->fluxError;
    measured.snr = light->flux / light->fluxError;
    measured.chiSquare = light->chiSquare;
    if (!(measured.snr >= measure::kLeastSnr)) {
        return fail(ErrorId::MeasureNotSeen, "The light at the very place is below 3 sigma.");
    }
    measured.pixel = place;
    measured.sky = target.predicted;
    measure::setBrightness(picture, measured);
    measured.concern = "brightness at the very place; its position was not measured";
    return measured;
}

/// `corner`: of the pixels that it was measured on.
void take(const measure::Measured& measured, frame::PixelPos corner, MeasurementRecord& m) {
    m.seen = true;
    m.sky = measured.sky;
    m.pixel = {measured.pixel.x + corner.x, measured.pixel.y + corner.y};
    m.raErrorArcsec = measured.raErrorArcsec;
    m.decErrorArcsec = measured.decErrorArcsec;
    m.snr = measured.snr;
    m.flux = measured.flux;
    m.magnitude = measured.magnitude;
    m.magnitudeError = measured.magnitudeError;
    m.reason = measured.concern;
}

measure::FitPicture fitOf(const measure::Picture& picture,
                          const measure::Target& target,
                          const measure::Measured& measured) {
    const int half = static_cast<int>(std::ceil(kFitFwhm * picture.shape.fwhm()));
    const auto way = measure::waysOf(picture, target, measured.pixel).front();
    const detect::PointSpread body(picture.shape, way.x, way.y);
    const detect::PointSpread star(picture.shape, picture.starTrailX, picture.starTrailY);
    return measure::fitPicture(picture,
                               {body, star},
                               measured.pixel,
                               measured.flux,
                               target.neighbours,
                               half + static_cast<int>(std::ceil(body.trailHalf())));
}

/// What the record says whatever is found.
MeasurementRecord recordOf(const LightRecord& light, const HandAim& aim) {
    MeasurementRecord m;
    m.frame = light.frame;
    m.picture = light.calibrated;
    m.time = light.middle;
    m.exposureSeconds = light.exposureSeconds;
    m.predicted = aim.place;
    m.sky = aim.place;
    m.rateArcsecPerMin = aim.rateArcsecPerMin;
    m.positionAngleDegrees = aim.positionAngleDegrees;
    m.fwhmPixels = light.fwhmPixels;
    m.usedStars = light.matchedStars;
    m.band = light.photometry ? std::string(catalog::name(light.photometry->band)) : std::string();
    if (const auto pixel = light.wcs->toPixel(aim.place)) {
        m.pixel = *pixel;
        m.time = light.middle.plusSeconds(light.rowSeconds * pixel->y);
    }
    return m;
}

/// The lights that a window about the same place with stars enough to know their form shows, in the pixels of another.
std::vector<SourceRecord> sourcesAbout(const PictureWindow& wide, const PictureWindow& window) {
    detect::DetectOptions options;
    options.saturation = window.picture.saturationElectrons;
    const auto found = detect::detectSources(wide.image, options);
    if (!found) {
        return {};
    }
    std::vector<SourceRecord> sources = sourceRecords(*found);
    for (SourceRecord& source : sources) {
        source.pixel.x += wide.corner.x - window.corner.x;
        source.pixel.y += wide.corner.y - window.corner.y;
    }
    return sources;
}

/// On the frame as a whole: a coma reaches far, and its sky lies beyond it.
Result<MeasuredHere>
measureComaHere(const LightRecord& light, const HandAim& aim, const catalog::StarStore* store) {
    const auto file = MeasurableFile::open(light.calibrated, {}, {}, store);
    if (!file) {
        return fail(file.error());
    }
    MeasuredHere here{recordOf(light, aim), {}, {}, {}, {}};
    measure::Target target = targetOf(aim, light.exposureSeconds);
    target.searchArcsec = file->searchArcsec();
    const auto comet = file->measureComet(target, MeasureSettings().comet);
    if (comet) {
        take(comet->measured.nucleus, {}, here.record);
        here.record.coma = comaPart(comet->measured);
    } else {
        here.record.reason = comet.error().detail;
    }
    return here;
}

/// By the stack's own noise and profile; its zero point is stated in it.
Result<MeasuredHere>
measureOnStack(const LightRecord& light, const HandAim& aim, const catalog::StarStore* store) {
    const auto file = MeasurableFile::open(aim.stack, {}, {}, store);
    if (!file) {
        return fail(file.error());
    }
    MeasuredHere here{recordOf(light, aim), {}, {}, {}, {}};
    MeasurementRecord& m = here.record;
    m.onStack = true;
    m.picture = aim.stack;
    m.time = file->timeAt(aim.place);
    m.fwhmPixels = file->fwhmArcsec() / file->wcs().scaleArcsec();
    if (const auto pixel = file->wcs().toPixel(aim.place)) {
        m.pixel = *pixel;
    }
    measure::Target target;
    target.predicted = aim.place;
    target.isPlace = true;
    const auto measured = file->measureBody(target);
    if (measured) {
        take(*measured, {}, m);
    } else if (measured.error().id == ErrorId::MeasureOutside) {
        return fail(measured.error());
    } else {
        m.reason = measured.error().detail;
    }
    here.limit = file->upperLimit(target);
    m.limit = m.seen ? std::nullopt : here.limit;
    return here;
}

/// A window about a place, and what of it is measured there.
struct Surroundings {
    const PictureWindow& window;
    double half = 0.0; ///< pixels, of the window
    double own = 0.0;  ///< pixels from the place
};

/// Lights beside the place that no catalogue has, as neighbours.
void addStrangers(const LightRecord& light,
                  const HandAim& aim,
                  const Surroundings& about,
                  measure::Target& target) {
    const auto wide = windowOf(light.calibrated, light, false, aim.place, kWide * about.half);
    if (!wide) {
        return;
    }
    addUncatalogued(
        sourcesAbout(*wide, about.window),
        kItselfFwhm * light.shape.fwhm(),
        [&](const frame::PixelPos& p) {
            return std::hypot(p.x - about.window.place.x, p.y - about.window.place.y) < about.own;
        },
        target.neighbours);
}

/// What stands at the window's place, taken for what it is said to be.
Result<measure::Measured> measuredAs(HandModel model,
                                     const PictureWindow& window,
                                     const LightRecord& light,
                                     measure::Target& target,
                                     MeasuredHere& here) {
    if (model == HandModel::Place) {
        return measureAt(window.picture, target, window.place);
    }
    if (model == HandModel::Trail) {
        const auto trail = aimAtTrail(window.picture, window.place, light.exposureSeconds, target);
        if (!trail) {
            return fail(trail.error());
        }
        here.trail = *trail;
        here.record.rateArcsecPerMin = trail->rateArcsecPerMin(light.exposureSeconds);
        here.record.positionAngleDegrees = trail->positionAngle.degrees();
    }
    return measure::measureBody(window.picture, target);
}

} // namespace

Result<MeasuredHere>
measureHere(const LightRecord& light, const HandAim& aim, const catalog::StarStore* store) {
    PATHMARK_EXPECTS(light.solved());
    if (!aim.stack.empty()) {
        return measureOnStack(light, aim, store);
    }
    if (aim.model == HandModel::Coma) {
        return measureComaHere(light, aim, store);
    }
    const double fwhm = light.shape.fwhm();
    const double way =
        aim.rateArcsecPerMin * light.exposureSeconds / 60.0 / light.wcs->scaleArcsec();
    const bool isTrail = aim.model == HandModel::Trail;
    const double half = (isTrail ? kTrailFwhm : kHalfFwhm) * fwhm + 16.0 +
                        std::hypot(light.trailX, light.trailY) + way;
    auto window = windowOf(light.calibrated, light, false, aim.place, half);
    if (!window) {
        return fail(window.error());
    }
    window->image = detect::Background(window->image).subtractFrom(window->image);
    measure::Target target = targetOf(aim, light.exposureSeconds);
    MeasuredHere here{recordOf(light, aim), {}, {}, {}, {}};
    MeasurementRecord& m = here.record;
    const double itself = kItselfFwhm * fwhm;
    if (store != nullptr) {
        target.neighbours = starsAbout(*window, light.middle, itself, *store);
    }
    if (!isTrail) { // which would be taken for lights itself
        addStrangers(light, aim, {*window, half, itself + 0.5 * way}, target);
    }
    const measure::Picture& picture = window->ready();
    const auto measured = measuredAs(aim.model, *window, light, target, here);
    if (measured) {
        take(*measured, window->corner, m);
        here.fit = fitOf(picture, target, *measured);
    } else {
        m.reason = measured.error().detail;
    }
    here.limit = measure::limitAt(picture, target, window->place);
    m.limit = m.seen ? std::nullopt : here.limit;
    if (store != nullptr) {
        here.star = starAt(*store, m.sky, light.middle, itself * light.wcs->scaleArcsec());
    }
    return here;
}

} // namespace pathmark::night
