#include "core/night/then_picture.h"

#include "core/detect/background.h"
#include "core/detect/detect.h"
#include "core/frame/equipment.h"
#include "core/frame/fits_file.h"
#include "core/frame/folder_scan.h"
#include "core/frame/foreign_wcs.h"
#include "core/frame/open_frame.h"
#include "core/night/data_files.h"
#include "core/night/pair_picture.h"
#include "core/solve/solve_frame.h"
#include "core/survey/survey_picture.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kMostOthers = 4; ///< lights that confirm what is new

Result<ThenPicture> ofSurvey(const LightRecord& light, const ThenSource& source, const Job& job) {
    survey::SurveyPlace place;
    place.url = source.survey;
    place.folder = keptSurveys();
    place.isOffline = source.isOffline;
    const auto opened = survey::Survey::open(place, job);
    if (!opened) {
        return fail(opened.error());
    }
    auto shown = survey::surveyPicture(*opened, *light.wcs, light.width, light.height, job);
    if (!shown) {
        return fail(shown.error());
    }
    ThenPicture then;
    then.values = std::move(shown->values);
    then.title = opened->properties().title;
    then.isLinear = opened->isLinear();
    then.pixelArcsec = shown->pixelArcsec;
    if (const auto day = opened->properties().epochModifiedJulian) {
        then.epoch = Utc::julian(2400000.5 + *day);
    }
    return then;
}

/// Solves an image about the place of the light, or wherever the catalogue has its stars.
Result<frame::Wcs> solved(const frame::Image& image,
                          const frame::FrameInfo& info,
                          const LightRecord& light,
                          const catalog::StarStore* stars,
                          const Job& job) {
    if (stars == nullptr) {
        return fail(ErrorId::CatalogNotFound,
                    "The image has no solution, and there is no catalogue to solve it with.",
                    info.path.string());
    }
    const auto found = detect::detectSources(image, {});
    if (!found) {
        return fail(found.error());
    }
    solve::SolveHint hint;
    hint.centre = light.skyMiddle();
    hint.radius = Angle::arcsec(std::hypot(light.width, light.height) * light.wcs->scaleArcsec());
    if (const auto scale = info.scaleArcsec()) {
        hint.scaleLow = 0.8 * *scale;
        hint.scaleHigh = 1.25 * *scale;
    }
    auto solution = solve::solveFrame(*found,
                                      {image.width(), image.height()},
                                      info.midExposure.value_or(light.middle),
                                      hint,
                                      {stars, nullptr, job.stop});
    if (!solution) {
        Error error = solution.error();
        error.subject = info.path.string();
        return fail(std::move(error));
    }
    return solution->wcs;
}

Result<ThenPicture> ofImage(const LightRecord& light,
                            const fs::path& path,
                            const catalog::StarStore* stars,
                            const Job& job) {
    auto loaded = frame::readFrame(path);
    const auto info = frame::describeFile(path, {});
    if (!loaded || !info) {
        return fail(loaded ? info.error() : loaded.error());
    }
    auto wcs = frame::readForeignWcs(loaded->header, loaded->image.width(), loaded->image.height());
    if (!wcs) {
        wcs = solved(loaded->image, *info, light, stars, job);
    }
    if (!wcs) {
        return fail(wcs.error());
    }
    const detect::Background sky(loaded->image);
    auto values = onPixelsOf(light, sky.subtractFrom(loaded->image), *wcs);
    if (!values) {
        return fail(values.error());
    }
    ThenPicture then;
    then.values = std::move(*values);
    then.title = path.filename().string();
    then.epoch = info->midExposure;
    then.pixelArcsec = wcs->scaleArcsec();
    return then;
}

Result<ThenPicture> ofLight(const LightRecord& light,
                            const LightRecord& other,
                            const catalog::StarStore* stars,
                            const Job& job) {
    auto then = ofImage(light, other.calibrated, stars, job);
    if (then) {
        then->title = other.raw.filename().string();
        then->epoch = other.middle;
    }
    return then;
}

Result<NowFrame> framesSources(const NightFile& night, const LightRecord& light) {
    auto sources = night.sources(light);
    return sources ? Result<NowFrame>({&light, std::move(*sources)}) : fail(sources.error());
}

} // namespace

fs::path keptSurveys() {
    return observersData("surveys");
}

Result<ThenPicture> thenPicture(const LightRecord& light,
                                const ThenSource& source,
                                const catalog::StarStore* stars,
                                const Job& job) {
    if (!source.survey.empty()) {
        return ofSurvey(light, source, job);
    }
    if (!source.night.empty()) {
        const auto other = NightFile::open(source.night);
        const auto there = other ? lightAt(*other, light) : fail(other.error());
        return there ? ofLight(light, *there, stars, job) : fail(there.error());
    }
    if (source.light) {
        return ofLight(light, *source.light, stars, job);
    }
    return ofImage(light, source.image, stars, job);
}

Result<std::vector<DifferingLight>> compareThen(const NightFile& night,
                                                const LightRecord& light,
                                                const ThenPicture& then,
                                                const catalog::StarStore* stars) {
    const auto lights = night.lights();
    const auto predictions = night.predictions();
    const auto measurements = night.measurements();
    if (!lights || !predictions || !measurements) {
        return fail(!lights        ? lights.error()
                    : !predictions ? predictions.error()
                                   : measurements.error());
    }
    auto now = framesSources(night, light);
    if (!now) {
        return fail(now.error());
    }
    DifferenceRequest request;
    request.now = std::move(*now);
    request.known = *predictions;
    request.stars = stars;
    request.epoch = then.epoch;
    for (const MeasurementRecord& measured : *measurements) {
        if (measured.coma && measured.frame == light.frame) {
            request.comae.push_back({measured.sky, Angle::arcsec(measured.coma->extentArcsec)});
        }
    }
    for (const LightRecord& other : *lights) {
        const bool isOther = other.frame != light.frame && other.solved() &&
                             other.leftOutBy.empty() && request.others.size() < kMostOthers;
        const double apart =
            isOther ? separation(other.skyMiddle(), light.skyMiddle()).arcsec() : 0.0;
        if (isOther && apart < 0.25 * light.width * light.wcs->scaleArcsec()) {
            if (auto frame = framesSources(night, other)) {
                request.others.push_back(std::move(*frame));
            }
        }
    }
    return differingLights(then.values, request);
}

Result<LightRecord> lightAt(const NightFile& other, const LightRecord& light) {
    constexpr double kAlikeArcmin = 1.0; ///< pointings that differ by less are one
    auto lights = other.lights();
    if (!lights) {
        return fail(lights.error());
    }
    const SkyPos middle = light.skyMiddle();
    const auto isUsable = [&](const LightRecord& there) {
        const auto pixel = there.frame != light.frame && there.solved() && there.leftOutBy.empty()
                               ? there.wcs->toPixel(middle)
                               : std::nullopt;
        return pixel && pixel->x >= 0.0 && pixel->y >= 0.0 && pixel->x < there.width &&
               pixel->y < there.height;
    };
    const auto rank = [&](const LightRecord& there) {
        const double apart = separation(there.skyMiddle(), middle).arcsec() / 60.0;
        return std::pair(std::floor(apart / kAlikeArcmin),
                         there.fwhmPixels * there.wcs->scaleArcsec());
    };
    std::erase_if(*lights, [&](const LightRecord& there) { return !isUsable(there); });
    if (lights->empty()) {
        return fail(ErrorId::MeasureOutside,
                    "No solved light of the other night shows the middle of this one.");
    }
    return *std::min_element(lights->begin(), lights->end(), [&](const auto& a, const auto& b) {
        return rank(a) < rank(b);
    });
}

} // namespace pathmark::night
