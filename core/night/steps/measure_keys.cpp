#include "core/night/steps/measure_keys.h"

#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_text.h"
#include "core/night/steps/step.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace {

/// What every measurement's key begins with.
ProductKey started(const NightRun& run) {
    ProductKey key("measure", versionOf("measure"));
    return key.settings(settingsText(run.recipe.measure))
        .input("catalogue", run.store.contentDigest());
}

/// The predictions without what does not change a measurement.
std::string textOf(const NightRun& run, const std::vector<const PredictionRecord*>& bodies) {
    nlohmann::json list = nlohmann::json::array();
    for (const PredictionRecord* p : bodies) {
        PredictionRecord plain = *p;
        plain.file.clear();
        plain.title.clear();
        plain.match.reset();
        const auto seen = p->surelyAt();
        list.push_back({record_json::write(plain),
                        isComet(run, p->body),
                        seen ? record_json::write(*seen) : nlohmann::json()});
    }
    return list.dump();
}

std::string textOf(const std::vector<OtherBody>& others) {
    std::string text;
    for (const OtherBody& other : others) {
        text += fmt::format("{} {:.9f} {:.9f} {:.3f};",
                            other.body.text(),
                            other.sky.longitude.radians(),
                            other.sky.latitude.radians(),
                            other.magnitude);
    }
    return text;
}

std::string othersTextOf(const NightRun& run,
                         const FramePredictions& predictions,
                         const LightRecord& light,
                         const std::vector<const PredictionRecord*>& bodies) {
    std::string text;
    const double fwhm = light.fwhmPixels * light.wcs->scaleArcsec();
    for (const PredictionRecord* p : bodies) {
        text += textOf(predictions.others(
            p->body, p->frame, p->surelyAt().value_or(p->sky), othersReach(run, p, fwhm)));
    }
    return text;
}

} // namespace

bool isComet(const NightRun& run, const BodyId& body) {
    const auto known = run.orbits.find(body.text());
    return known && run.orbits.elements(*known).isComet();
}

std::optional<measure::PlaceError> placeErrorOf(const PredictionRecord& p) {
    if (p.candidate) {
        return std::nullopt;
    }
    return measure::PlaceError{p.sigmaMajorArcsec, p.sigmaMinorArcsec, p.sigmaAngleDegrees};
}

double othersReach(const NightRun& run, const PredictionRecord* own, double fwhmArcsec) {
    const measure::SearchArea area(run.recipe.measure.searchArcsec,
                                   own == nullptr ? std::nullopt : placeErrorOf(*own));
    return area.reachArcsec() + 6.0 * fwhmArcsec;
}

const FrameId& middleFrame(const NightRun& run, const BodyStack& stack) {
    return run.lights[stack.frame.lights[stack.frame.lights.size() / 2]].frame;
}

std::vector<OtherBody>
othersOf(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack) {
    const FrameId& frame = middleFrame(run, stack);
    const double fwhm = stack.frame.shape.fwhm() * stack.wcs.scaleArcsec();
    const double reach = othersReach(run, predictions.of(frame, stack.body), fwhm);
    return predictions.others(stack.body, frame, stack.place.sky, reach);
}

std::optional<SkyPos>
seenOnFrames(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack) {
    if (stack.shownAt) {
        return stack.shownAt;
    }
    double raArcsec = 0.0;
    double decArcsec = 0.0;
    int count = 0;
    for (const std::size_t index : stack.frame.lights) {
        const PredictionRecord* p = predictions.of(run.lights[index].frame, stack.body);
        if (p != nullptr && p->isSurelyMatched()) {
            raArcsec += p->match->raArcsec;
            decArcsec += p->match->decArcsec;
            ++count;
        }
    }
    if (count == 0) {
        return std::nullopt;
    }
    return offsetBy(stack.place.sky, raArcsec / count, decArcsec / count);
}

ProductKey measurementKey(const NightRun& run,
                          const FramePredictions& predictions,
                          const LightRecord& light,
                          const std::vector<const PredictionRecord*>& bodies) {
    ProductKey key = started(run);
    return key.input("calibrated", light.keys.calibrated)
        .input("sources", light.keys.sources)
        .input("solution", light.keys.solution)
        .input("zero point", light.keys.zeroPoint)
        .input("time", toIso(light.middle, 6))
        .input("exposure", fmt::format("{}", light.exposureSeconds))
        .input("row delay", fmt::format("{}", light.rowSeconds))
        .input("time unsure", light.timeUnsure ? "yes" : "no")
        .input("bodies", textOf(run, bodies))
        .input("other bodies", othersTextOf(run, predictions, light, bodies));
}

ProductKey
measurementKey(const NightRun& run, const FramePredictions& predictions, const BodyStack& stack) {
    const PredictionRecord* own = predictions.of(middleFrame(run, stack), stack.body);
    const auto seen = seenOnFrames(run, predictions, stack);
    ProductKey key = started(run);
    return key.input("stack", stack.key)
        .input("star stack", stack.frame.key)
        .input("place", record_json::write(stack.place.sky).dump())
        .input(
            "rate",
            fmt::format("{} {}", stack.place.xiRateArcsecPerMin, stack.place.etaRateArcsecPerMin))
        .input("comet", isComet(run, stack.body) ? "yes" : "no")
        .input("place error",
               own == nullptr ? ""
                              : fmt::format("{:.3f} {:.3f} {:.2f}",
                                            own->sigmaMajorArcsec,
                                            own->sigmaMinorArcsec,
                                            own->sigmaAngleDegrees))
        .input("seen at", seen ? record_json::write(*seen).dump() : "")
        .input("magnitude",
               own == nullptr || !own->magnitude ? "" : fmt::format("{:.3f}", *own->magnitude))
        .input("other bodies", textOf(othersOf(run, predictions, stack)));
}

} // namespace pathmark::night
