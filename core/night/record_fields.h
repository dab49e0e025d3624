#pragma once

#include "core/base/fields.h"
#include "core/night/calibration_settings.h"
#include "core/night/records.h"
#include "core/night/report/sending_record.h"

// The one list of fields of each record. What is stored, compared and put into keys is read from here; a field that is
// not listed does not exist for the night file, and a test holds the lists against the structs' sizes.
namespace pathmark {

template <>
struct FieldsOf<detect::Moffat> {
    using R = detect::Moffat;
    static constexpr auto list = std::tuple{
        Field{"a", &R::a}, Field{"b", &R::b}, Field{"c", &R::c}, Field{"beta", &R::beta}};
};

template <>
struct FieldsOf<solve::SolveAttempt> {
    using R = solve::SolveAttempt;
    static constexpr auto list = std::tuple{Field{"sources", &R::sources},
                                            Field{"starlike", &R::starlike},
                                            Field{"fwhm", &R::fwhmPixels},
                                            Field{"trail", &R::trailPixels},
                                            Field{"centre", &R::centre},
                                            Field{"radius", &R::radius},
                                            Field{"scale_low", &R::scaleLow},
                                            Field{"scale_high", &R::scaleHigh},
                                            Field{"around", &R::starsAround},
                                            Field{"whole_sky", &R::wholeSky},
                                            Field{"tried", &R::placesTried},
                                            Field{"best_matched", &R::bestMatched},
                                            Field{"best_of", &R::bestOf},
                                            Field{"chance", &R::bestChanceLog10}};
};

template <>
struct FieldsOf<solve::SolutionError> {
    using R = solve::SolutionError;
    static constexpr auto list = std::tuple{Field{"order", &R::order},
                                            Field{"unit", &R::unit},
                                            Field{"middle", &R::middle},
                                            Field{"covariance", &R::covariance},
                                            Field{"cubic", &R::cubic}};
};

template <>
struct FieldsOf<solve::UnevenResponse> {
    using R = solve::UnevenResponse;
    static constexpr auto list = std::tuple{Field{"terms", &R::terms}};
};

template <>
struct FieldsOf<solve::PhotometricMatch> {
    using R = solve::PhotometricMatch;
    static constexpr auto list = std::tuple{Field{"band", &R::band},
                                            Field{"zero", &R::zeroPoint},
                                            Field{"zero_error", &R::zeroPointError},
                                            Field{"colour", &R::colourTerm},
                                            Field{"scatter", &R::scatter},
                                            Field{"unexplained", &R::unexplained},
                                            Field{"stars", &R::usedStars},
                                            Field{"limit", &R::limitingMag},
                                            Field{"sky", &R::skyBrightness},
                                            Field{"uneven", &R::uneven}};
};

template <>
struct FieldsOf<frame::Derived> {
    using R = frame::Derived;
    static constexpr auto list =
        std::tuple{Field{"what", &R::what}, Field{"value", &R::value}, Field{"from", &R::from}};
};

template <>
struct FieldsOf<frame::PixelSample> {
    using R = frame::PixelSample;
    static constexpr auto list = std::tuple{Field{"level", &R::level},
                                            Field{"scatter", &R::scatter},
                                            Field{"bright", &R::brightShare},
                                            Field{"defined", &R::definedShare}};
};

template <>
struct FieldsOf<frame::Site> {
    using R = frame::Site;
    static constexpr auto list = std::tuple{Field{"code", &R::code},
                                            Field{"longitude", &R::longitude},
                                            Field{"latitude", &R::latitude},
                                            Field{"altitude", &R::altitudeMetres},
                                            Field{"parallax", &R::parallaxConstants}};
};

template <>
struct FieldsOf<frame::FrameInfo> {
    using R = frame::FrameInfo;
    static constexpr auto list = std::tuple{Field{"id", &R::id},
                                            Field{"path", &R::path},
                                            Field{"note", &R::note},
                                            Field{"width", &R::width},
                                            Field{"height", &R::height},
                                            Field{"planes", &R::planes},
                                            Field{"kind", &R::kind},
                                            Field{"kind_reason", &R::kindReason},
                                            Field{"master", &R::isMaster},
                                            Field{"middle", &R::midExposure},
                                            Field{"time_reason", &R::timeReason},
                                            Field{"time_unsure", &R::timeUnsure},
                                            Field{"time_step", &R::timeStepSeconds},
                                            Field{"row_s", &R::rowSeconds},
                                            Field{"exposure", &R::exposureSeconds},
                                            Field{"exposure_known", &R::exposureKnown},
                                            Field{"temperature", &R::temperatureCelsius},
                                            Field{"filter", &R::filter},
                                            Field{"binning_x", &R::binningX},
                                            Field{"binning_y", &R::binningY},
                                            Field{"pixel_um", &R::pixelMicrometres},
                                            Field{"focal_mm", &R::focalMillimetres},
                                            Field{"scale", &R::statedScaleArcsec},
                                            Field{"rotation", &R::rotationDegrees},
                                            Field{"pointing", &R::pointing},
                                            Field{"site", &R::site},
                                            Field{"site_name", &R::siteName},
                                            Field{"object", &R::object},
                                            Field{"camera", &R::camera},
                                            Field{"telescope", &R::telescope},
                                            Field{"gain", &R::gainSetting},
                                            Field{"offset", &R::offsetSetting},
                                            Field{"mode", &R::readoutMode},
                                            Field{"e_per_adu", &R::electronsPerAdu},
                                            Field{"read_noise", &R::readNoiseElectrons},
                                            Field{"saturation", &R::saturationAdu},
                                            Field{"dark_e_per_s", &R::darkElectronsPerSecond},
                                            Field{"bayer", &R::bayerPattern},
                                            Field{"sample", &R::sample},
                                            Field{"origins", &R::origins},
                                            Field{"notes", &R::notes}};
};

template <>
struct FieldsOf<night::TakenPart> {
    using R = night::TakenPart;
    static constexpr auto list = std::tuple{Field{"frame", &R::frame},
                                            Field{"raw", &R::raw},
                                            Field{"series", &R::series},
                                            Field{"series_title", &R::seriesTitle},
                                            Field{"middle", &R::middle},
                                            Field{"row_s", &R::rowSeconds},
                                            Field{"exposure", &R::exposureSeconds},
                                            Field{"filter", &R::filter},
                                            Field{"time_unsure", &R::timeUnsure},
                                            Field{"left_out", &R::leftOutBy}};
};

template <>
struct FieldsOf<night::CalibratedPart> {
    using R = night::CalibratedPart;
    static constexpr auto list = std::tuple{Field{"calibrated", &R::calibrated},
                                            Field{"width", &R::width},
                                            Field{"height", &R::height},
                                            Field{"saturation", &R::saturationElectrons},
                                            Field{"defects", &R::defects},
                                            Field{"hits", &R::hits},
                                            Field{"middle_fwhm", &R::middleFwhmPixels},
                                            Field{"middle_sky", &R::middleSkyElectrons},
                                            Field{"middle_noise", &R::middleNoiseElectrons},
                                            Field{"middle_sources", &R::middleSources}};
};

template <>
struct FieldsOf<night::MosaicShape> {
    using R = night::MosaicShape;
    static constexpr auto list = std::tuple{Field{"shape", &R::shape},
                                            Field{"trail_x", &R::trailX},
                                            Field{"trail_y", &R::trailY},
                                            Field{"red", &R::red},
                                            Field{"blue", &R::blue},
                                            Field{"lean_x", &R::leanX},
                                            Field{"lean_y", &R::leanY}};
};

template <>
struct FieldsOf<night::SourcesPart> {
    using R = night::SourcesPart;
    static constexpr auto list = std::tuple{Field{"sources", &R::sources},
                                            Field{"shape", &R::shape},
                                            Field{"trail_x", &R::trailX},
                                            Field{"trail_y", &R::trailY},
                                            Field{"mosaic", &R::mosaic},
                                            Field{"fwhm", &R::fwhmPixels},
                                            Field{"elongation", &R::elongation},
                                            Field{"sky", &R::skyElectrons},
                                            Field{"noise", &R::noiseElectrons},
                                            Field{"without_sources", &R::withoutSources}};
};

template <>
struct FieldsOf<night::SolutionPart> {
    using R = night::SolutionPart;
    static constexpr auto list = std::tuple{Field{"problem", &R::problem},
                                            Field{"attempt", &R::attempt},
                                            Field{"found_by", &R::foundBy},
                                            Field{"wcs", &R::wcs},
                                            Field{"rms", &R::rmsArcsec},
                                            Field{"solution_error", &R::solutionErrorPixels},
                                            Field{"solution_covariance", &R::solutionError},
                                            Field{"false_alarm", &R::falseAlarmLog10},
                                            Field{"matched", &R::matchedStars}};
};

template <>
struct FieldsOf<night::ZeroPointPart> {
    using R = night::ZeroPointPart;
    static constexpr auto list = std::tuple{Field{"photometry", &R::photometry}};
};

template <>
struct FieldsOf<night::LightKeys> {
    using R = night::LightKeys;
    static constexpr auto list = std::tuple{Field{"calibrated", &R::calibrated},
                                            Field{"sources", &R::sources},
                                            Field{"solution", &R::solution},
                                            Field{"zero_point", &R::zeroPoint}};
};

template <>
struct FieldsOf<night::LightRecord> {
    using R = night::LightRecord;
    static constexpr auto list = std::tuple_cat(FieldsOf<night::TakenPart>::list,
                                                FieldsOf<night::CalibratedPart>::list,
                                                FieldsOf<night::SourcesPart>::list,
                                                FieldsOf<night::SolutionPart>::list,
                                                FieldsOf<night::ZeroPointPart>::list,
                                                std::tuple{Field{"keys", &R::keys}});
};

template <>
struct FieldsOf<night::ComaAperture> {
    using R = night::ComaAperture;
    static constexpr auto list = std::tuple{Field{"radius", &R::radiusArcsec},
                                            Field{"mag", &R::magnitude},
                                            Field{"mag_error", &R::magnitudeError}};
};

template <>
struct FieldsOf<night::ComaPart> {
    using R = night::ComaPart;
    static constexpr auto list = std::tuple{Field{"slope", &R::slope},
                                            Field{"extent", &R::extentArcsec},
                                            Field{"centroid", &R::centroid},
                                            Field{"apertures", &R::apertures}};
};

template <>
struct FieldsOf<night::MeasurementRecord> {
    using R = night::MeasurementRecord;
    static constexpr auto list = std::tuple{Field{"id", &R::id},
                                            Field{"body", &R::body},
                                            Field{"frame", &R::frame},
                                            Field{"picture", &R::picture},
                                            Field{"frames", &R::frames},
                                            Field{"on_stack", &R::onStack},
                                            Field{"time", &R::time},
                                            Field{"exposure", &R::exposureSeconds},
                                            Field{"span", &R::spanSeconds},
                                            Field{"seen", &R::seen},
                                            Field{"sky", &R::sky},
                                            Field{"predicted", &R::predicted},
                                            Field{"pixel", &R::pixel},
                                            Field{"ra_error", &R::raErrorArcsec},
                                            Field{"dec_error", &R::decErrorArcsec},
                                            Field{"oc_ra", &R::observedMinusComputedRa},
                                            Field{"oc_dec", &R::observedMinusComputedDec},
                                            Field{"rate", &R::rateArcsecPerMin},
                                            Field{"angle", &R::positionAngleDegrees},
                                            Field{"snr", &R::snr},
                                            Field{"predicted_snr", &R::predictedSnr},
                                            Field{"flux", &R::flux},
                                            Field{"mag", &R::magnitude},
                                            Field{"mag_error", &R::magnitudeError},
                                            Field{"band", &R::band},
                                            Field{"fwhm", &R::fwhmPixels},
                                            Field{"stars", &R::usedStars},
                                            Field{"limit", &R::limit},
                                            Field{"coma", &R::coma},
                                            Field{"candidate", &R::candidate},
                                            Field{"state", &R::state},
                                            Field{"reason", &R::reason}};
};

template <>
struct FieldsOf<night::SentLine> {
    using R = night::SentLine;
    static constexpr auto list = std::tuple{Field{"line", &R::line},
                                            Field{"body", &R::body},
                                            Field{"time", &R::time},
                                            Field{"sky", &R::sky},
                                            Field{"mag", &R::magnitude},
                                            Field{"refused", &R::isRefused},
                                            Field{"words", &R::words}};
};

/// But for its bytes, which stand beside the record.
template <>
struct FieldsOf<night::Sending> {
    using R = night::Sending;
    static constexpr auto list = std::tuple{Field{"id", &R::id},
                                            Field{"at", &R::at},
                                            Field{"address", &R::address},
                                            Field{"form", &R::form},
                                            Field{"state", &R::state},
                                            Field{"tries", &R::tries},
                                            Field{"receipt", &R::receipt},
                                            Field{"words", &R::words},
                                            Field{"lines", &R::lines}};
};

template <>
struct FieldsOf<night::PredictionRecord::Match> {
    using R = night::PredictionRecord::Match;
    static constexpr auto list = std::tuple{Field{"source", &R::source},
                                            Field{"ra", &R::raArcsec},
                                            Field{"dec", &R::decArcsec},
                                            Field{"chi_square", &R::chiSquare},
                                            Field{"chance", &R::chance},
                                            Field{"snr", &R::snr}};
};

template <>
struct FieldsOf<night::PredictionRecord> {
    using R = night::PredictionRecord;
    static constexpr auto list = std::tuple{Field{"body", &R::body},
                                            Field{"title", &R::title},
                                            Field{"frame", &R::frame},
                                            Field{"file", &R::file},
                                            Field{"time", &R::time},
                                            Field{"sky", &R::sky},
                                            Field{"pixel", &R::pixel},
                                            Field{"rate", &R::rateArcsecPerMin},
                                            Field{"angle", &R::positionAngleDegrees},
                                            Field{"mag", &R::magnitude},
                                            Field{"snr", &R::snr},
                                            Field{"sigma_major", &R::sigmaMajorArcsec},
                                            Field{"sigma_minor", &R::sigmaMinorArcsec},
                                            Field{"sigma_angle", &R::sigmaAngleDegrees},
                                            Field{"candidate", &R::candidate},
                                            Field{"match", &R::match}};
};

template <>
struct FieldsOf<night::TrackRecord::Member> {
    using R = night::TrackRecord::Member;
    static constexpr auto list =
        std::tuple{Field{"frame", &R::frame}, Field{"pixel", &R::pixel}, Field{"snr", &R::snr}};
};

template <>
struct FieldsOf<night::PictureRecord> {
    using R = night::PictureRecord;
    static constexpr auto list = std::tuple{Field{"body", &R::body},
                                            Field{"time", &R::time},
                                            Field{"frames", &R::frames},
                                            Field{"planes", &R::planes},
                                            Field{"white", &R::white},
                                            Field{"colour_stars", &R::colourStars},
                                            Field{"colour_scatter", &R::colourScatter}};
};

template <>
struct FieldsOf<night::SweepWish> {
    using R = night::SweepWish;
    static constexpr auto list = std::tuple{Field{"least_rate", &R::leastRate},
                                            Field{"most_rate", &R::mostRate},
                                            Field{"from", &R::fromDegrees},
                                            Field{"to", &R::toDegrees},
                                            Field{"false_alarms", &R::falseAlarms},
                                            Field{"groups", &R::groups}};
};

template <>
struct FieldsOf<night::SweptBody> {
    using R = night::SweptBody;
    static constexpr auto list = std::tuple{Field{"name", &R::name},
                                            Field{"known", &R::known},
                                            Field{"time", &R::time},
                                            Field{"place", &R::place},
                                            Field{"rate", &R::rateArcsecPerMin},
                                            Field{"angle", &R::positionAngleDegrees},
                                            Field{"bend", &R::bendArcsec},
                                            Field{"bend_angle", &R::bendAngleDegrees},
                                            Field{"bend_seconds", &R::bendSeconds},
                                            Field{"snr", &R::snr},
                                            Field{"false_log10", &R::falseAlarmsLog10},
                                            Field{"magnitude", &R::magnitude},
                                            Field{"frame_snr", &R::frameSnr}};
};

template <>
struct FieldsOf<night::RefusedLight> {
    using R = night::RefusedLight;
    static constexpr auto list = std::tuple{Field{"place", &R::place},
                                            Field{"rate", &R::rateArcsecPerMin},
                                            Field{"angle", &R::positionAngleDegrees},
                                            Field{"snr", &R::snr},
                                            Field{"why", &R::why}};
};

template <>
struct FieldsOf<night::SweepRecord> {
    using R = night::SweepRecord;
    static constexpr auto list = std::tuple{Field{"series", &R::series},
                                            Field{"wish", &R::wish},
                                            Field{"frames", &R::frames},
                                            Field{"motions", &R::motions},
                                            Field{"threshold", &R::thresholdSnr},
                                            Field{"depth", &R::depth},
                                            Field{"band", &R::band},
                                            Field{"bodies", &R::bodies},
                                            Field{"refused", &R::refused}};
};

template <>
struct FieldsOf<night::TrackRecord> {
    using R = night::TrackRecord;
    static constexpr auto list = std::tuple{Field{"name", &R::name},
                                            Field{"members", &R::members},
                                            Field{"reference", &R::reference},
                                            Field{"place", &R::place},
                                            Field{"rate", &R::rateArcsecPerMin},
                                            Field{"angle", &R::positionAngleDegrees},
                                            Field{"chi", &R::reducedChiSquare},
                                            Field{"looked", &R::framesLooked},
                                            Field{"false_log10", &R::falseTracksLog10},
                                            Field{"resembles", &R::resembles},
                                            Field{"resembles_arcsec", &R::resemblesArcsec}};
};

} // namespace pathmark
