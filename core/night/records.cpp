#include "core/night/records.h"

#include "core/base/names.h"
#include "core/night/record_parts.h"

#include <nlohmann/json.hpp>

namespace pathmark::night {
namespace {

constexpr std::array kStateNames{
    std::pair{MeasurementState::Kept, "kept"},
    std::pair{MeasurementState::Parked, "parked"},
    std::pair{MeasurementState::Dropped, "dropped"},
};

using nlohmann::json;

} // namespace

const char* name(MeasurementState state) {
    return nameIn(kStateNames, state);
}

std::optional<MeasurementState> measurementStateNamed(std::string_view text) {
    return valueNamed(kStateNames, text);
}

json toJson(const LightRecord& r) {
    return json{{"raw", r.raw.string()},
                {"calibrated", r.calibrated.string()},
                {"series", r.series},
                {"left_out", r.leftOutBy},
                {"row_s", r.rowSeconds},
                {"hits", r.hits},
                {"middle", fromTime(r.middle)},
                {"exposure", r.exposureSeconds},
                {"filter", r.filter},
                {"width", r.width},
                {"height", r.height},
                {"problem", r.problem},
                {"attempt", r.attempt ? fromAttempt(*r.attempt) : json()},
                {"found_by", r.foundBy},
                {"wcs", r.wcs ? toJson(*r.wcs) : json()},
                {"rms", r.rmsArcsec},
                {"solution_error", r.solutionErrorPixels},
                {"solution_covariance", fromSolutionError(r.solutionError)},
                {"false_alarm", r.falseAlarmLog10},
                {"matched", r.matchedStars},
                {"sources", r.sources},
                {"shape", {r.shape.a, r.shape.b, r.shape.c, r.shape.beta}},
                {"fwhm", r.fwhmPixels},
                {"elongation", r.elongation},
                {"sky", r.skyElectrons},
                {"noise", r.noiseElectrons},
                {"saturation", r.saturationElectrons},
                {"photometry", r.photometry ? fromPhotometry(*r.photometry) : json()}};
}

LightRecord lightFromJson(const json& j) {
    LightRecord r;
    r.raw = j.at("raw").get<std::string>();
    r.calibrated = j.at("calibrated").get<std::string>();
    r.series = j.at("series").get<std::string>();
    r.leftOutBy = j.at("left_out").get<std::string>();
    r.rowSeconds = j.at("row_s").get<double>();
    r.hits = j.at("hits").get<int>();
    r.middle = toTime(j.at("middle"));
    r.exposureSeconds = j.at("exposure").get<double>();
    r.filter = j.at("filter").get<std::string>();
    r.width = j.at("width").get<int>();
    r.height = j.at("height").get<int>();
    r.problem = j.at("problem").get<std::string>();
    if (!j.at("wcs").is_null()) {
        r.wcs = wcsFromJson(j.at("wcs"));
    }
    // Night files of before this was kept have neither.
    if (j.contains("attempt") && !j.at("attempt").is_null()) {
        r.attempt = toAttempt(j.at("attempt"));
    }
    r.foundBy = j.value("found_by", "");
    r.rmsArcsec = j.at("rms").get<double>();
    r.solutionErrorPixels = j.at("solution_error").get<double>();
    if (j.contains("solution_covariance")) {
        r.solutionError = toSolutionError(j.at("solution_covariance"));
    }
    r.falseAlarmLog10 = j.at("false_alarm").get<double>();
    r.matchedStars = j.at("matched").get<int>();
    r.sources = j.at("sources").get<int>();
    const auto shape = j.at("shape").get<std::array<double, 4>>();
    r.shape = {shape[0], shape[1], shape[2], shape[3]};
    r.fwhmPixels = j.at("fwhm").get<double>();
    r.elongation = j.at("elongation").get<double>();
    r.skyElectrons = j.at("sky").get<double>();
    r.noiseElectrons = j.at("noise").get<double>();
    r.saturationElectrons = j.at("saturation").get<double>();
    if (!j.at("photometry").is_null()) {
        r.photometry = toPhotometry(j.at("photometry"));
    }
    return r;
}

json toJson(const MeasurementRecord& r) {
    return json{{"id", r.id},
                {"body", r.body},
                {"picture", r.picture.string()},
                {"frames", r.frames},
                {"time", fromTime(r.time)},
                {"exposure", r.exposureSeconds},
                {"seen", r.seen},
                {"sky", fromSky(r.sky)},
                {"predicted", fromSky(r.predicted)},
                {"pixel", fromPixel(r.pixel)},
                {"ra_error", r.raErrorArcsec},
                {"dec_error", r.decErrorArcsec},
                {"oc_ra", r.observedMinusComputedRa},
                {"oc_dec", r.observedMinusComputedDec},
                {"rate", r.rateArcsecPerMin},
                {"angle", r.positionAngleDegrees},
                {"snr", r.snr},
                {"predicted_snr", r.predictedSnr},
                {"flux", r.flux},
                {"mag", fromOptional(r.magnitude)},
                {"mag_error", r.magnitudeError},
                {"band", r.band},
                {"fwhm", r.fwhmPixels},
                {"stars", r.usedStars},
                {"candidate", r.candidate},
                {"state", name(r.state)},
                {"reason", r.reason}};
}

MeasurementRecord measurementFromJson(const json& j) {
    MeasurementRecord r;
    r.id = j.at("id").get<std::string>();
    r.body = j.at("body").get<std::string>();
    r.picture = j.at("picture").get<std::string>();
    r.frames = j.at("frames").get<int>();
    r.time = toTime(j.at("time"));
    r.exposureSeconds = j.at("exposure").get<double>();
    r.seen = j.at("seen").get<bool>();
    r.sky = toSky(j.at("sky"));
    r.predicted = toSky(j.at("predicted"));
    r.pixel = toPixel(j.at("pixel"));
    r.raErrorArcsec = j.at("ra_error").get<double>();
    r.decErrorArcsec = j.at("dec_error").get<double>();
    r.observedMinusComputedRa = j.at("oc_ra").get<double>();
    r.observedMinusComputedDec = j.at("oc_dec").get<double>();
    r.rateArcsecPerMin = j.at("rate").get<double>();
    r.positionAngleDegrees = j.at("angle").get<double>();
    r.snr = j.at("snr").get<double>();
    r.predictedSnr = j.at("predicted_snr").get<double>();
    r.flux = j.at("flux").get<double>();
    r.magnitude = toOptional(j.at("mag"));
    r.magnitudeError = j.at("mag_error").get<double>();
    r.band = j.at("band").get<std::string>();
    r.fwhmPixels = j.at("fwhm").get<double>();
    r.usedStars = j.at("stars").get<int>();
    r.candidate = j.value("candidate", false);
    r.state =
        measurementStateNamed(j.at("state").get<std::string>()).value_or(MeasurementState::Parked);
    r.reason = j.at("reason").get<std::string>();
    return r;
}

json toJson(const PredictionRecord& r) {
    json match;
    if (r.match) {
        match = {static_cast<double>(r.match->source),
                 r.match->raArcsec,
                 r.match->decArcsec,
                 r.match->chiSquare,
                 r.match->chance,
                 r.match->snr};
    }
    return json{{"body", r.body},
                {"frame", r.frame.string()},
                {"time", fromTime(r.time)},
                {"sky", fromSky(r.sky)},
                {"pixel", fromPixel(r.pixel)},
                {"rate", r.rateArcsecPerMin},
                {"angle", r.positionAngleDegrees},
                {"mag", fromOptional(r.magnitude)},
                {"snr", fromOptional(r.snr)},
                {"sigma", {r.sigmaMajorArcsec, r.sigmaMinorArcsec, r.sigmaAngleDegrees}},
                {"candidate", r.candidate},
                {"match", match}};
}

PredictionRecord predictionFromJson(const json& j) {
    PredictionRecord r;
    r.body = j.at("body").get<std::string>();
    r.frame = j.at("frame").get<std::string>();
    r.time = toTime(j.at("time"));
    r.sky = toSky(j.at("sky"));
    r.pixel = toPixel(j.at("pixel"));
    r.rateArcsecPerMin = j.at("rate").get<double>();
    r.positionAngleDegrees = j.at("angle").get<double>();
    r.magnitude = toOptional(j.at("mag"));
    r.snr = toOptional(j.at("snr"));
    // Night files of before this was kept have none of the following.
    if (j.contains("sigma")) {
        const auto sigma = j.at("sigma").get<std::array<double, 3>>();
        r.sigmaMajorArcsec = sigma[0];
        r.sigmaMinorArcsec = sigma[1];
        r.sigmaAngleDegrees = sigma[2];
        r.candidate = j.at("candidate").get<bool>();
    }
    if (j.contains("match") && !j.at("match").is_null()) {
        const auto m = j.at("match").get<std::array<double, 6>>();
        r.match =
            PredictionRecord::Match{static_cast<std::size_t>(m[0]), m[1], m[2], m[3], m[4], m[5]};
    }
    return r;
}

json toJson(const frame::FrameInfo& info) {
    json origins = json::array();
    for (const auto& origin : info.origins) {
        origins.push_back({origin.what, origin.value, origin.from});
    }
    json document{{"path", info.path.string()},
                  {"note", info.note},
                  {"width", info.width},
                  {"height", info.height},
                  {"planes", info.planes},
                  {"kind", frame::name(info.kind)},
                  {"kind_reason", info.kindReason},
                  {"master", info.isMaster},
                  {"middle", info.midExposure ? fromTime(*info.midExposure) : json()},
                  {"time_reason", info.timeReason},
                  {"row_s", info.rowSeconds},
                  {"exposure", info.exposureSeconds},
                  {"exposure_known", info.exposureKnown},
                  {"temperature", fromOptional(info.temperatureCelsius)},
                  {"filter", info.filter},
                  {"binning", {info.binningX, info.binningY}},
                  {"rotation", fromOptional(info.rotationDegrees)},
                  {"pixel_um", fromOptional(info.pixelMicrometres)},
                  {"focal_mm", fromOptional(info.focalMillimetres)},
                  {"scale", fromOptional(info.statedScaleArcsec)},
                  {"object", info.object},
                  {"camera", info.camera},
                  {"gain", fromOptional(info.gainSetting)},
                  {"offset", fromOptional(info.offsetSetting)},
                  {"mode", info.readoutMode},
                  {"saturation", fromOptional(info.saturationAdu)},
                  {"bayer", info.bayerPattern},
                  {"origins", origins},
                  {"notes", info.notes}};
    if (info.pointing) {
        document["pointing"] = {info.pointing->longitude.degrees(),
                                info.pointing->latitude.degrees()};
    }
    if (info.sample) {
        document["sample"] = {info.sample->level,
                              info.sample->scatter,
                              info.sample->brightShare,
                              info.sample->definedShare};
    }
    return document;
}

frame::FrameInfo frameInfoFromJson(const json& j) {
    frame::FrameInfo info;
    info.path = j.at("path").get<std::string>();
    info.width = j.at("width").get<int>();
    info.height = j.at("height").get<int>();
    info.kind =
        frame::frameKindNamed(j.at("kind").get<std::string>()).value_or(frame::FrameKind::Unknown);
    info.kindReason = j.at("kind_reason").get<std::string>();
    if (!j.at("middle").is_null()) {
        info.midExposure = toTime(j.at("middle"));
    }
    info.note = j.at("note").get<std::string>();
    info.planes = j.at("planes").get<int>();
    info.isMaster = j.at("master").get<bool>();
    info.rowSeconds = j.at("row_s").get<double>();
    info.exposureKnown = j.at("exposure_known").get<bool>();
    info.rotationDegrees = toOptional(j.at("rotation"));
    info.pixelMicrometres = toOptional(j.value("pixel_um", json()));
    info.focalMillimetres = toOptional(j.value("focal_mm", json()));
    info.statedScaleArcsec = toOptional(j.value("scale", json()));
    info.gainSetting = toOptional(j.at("gain"));
    info.offsetSetting = toOptional(j.at("offset"));
    info.readoutMode = j.at("mode").get<std::string>();
    info.saturationAdu = toOptional(j.at("saturation"));
    info.notes = j.at("notes").get<std::vector<std::string>>();
    for (const json& origin : j.at("origins")) {
        info.origins.push_back({origin.at(0).get<std::string>(),
                                origin.at(1).get<std::string>(),
                                origin.at(2).get<std::string>()});
    }
    if (j.contains("pointing")) {
        info.pointing =
            skyDegrees(j.at("pointing").at(0).get<double>(), j.at("pointing").at(1).get<double>());
    }
    if (j.contains("sample")) {
        const auto sample = j.at("sample").get<std::array<double, 4>>();
        info.sample = frame::PixelSample{sample[0], sample[1], sample[2], sample[3]};
    }
    info.timeReason = j.at("time_reason").get<std::string>();
    info.exposureSeconds = j.at("exposure").get<double>();
    info.temperatureCelsius = toOptional(j.at("temperature"));
    info.filter = j.at("filter").get<std::string>();
    info.binningX = j.at("binning").at(0).get<int>();
    info.binningY = j.at("binning").at(1).get<int>();
    info.object = j.at("object").get<std::string>();
    info.camera = j.at("camera").get<std::string>();
    info.bayerPattern = j.at("bayer").get<std::string>();
    return info;
}

json toJson(std::span<const Error> failures) {
    json list = json::array();
    for (const Error& error : failures) {
        list.push_back(
            {{"id", name(error.id)}, {"file", error.subject}, {"message", error.detail}});
    }
    return list;
}

} // namespace pathmark::night
