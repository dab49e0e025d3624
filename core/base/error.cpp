#include "core/base/error.h"

#include "core/base/expects.h"

#include <array>
#include <new>
#include <system_error>
#include <utility>

namespace pathmark {
namespace {

constexpr std::array kNames{
    std::pair{ErrorId::BaseCannotWrite, "base.cannot_write"},
    std::pair{ErrorId::BaseDiskFull, "base.disk_full"},
    std::pair{ErrorId::BaseBadTime, "base.bad_time"},
    std::pair{ErrorId::BaseBadAngle, "base.bad_angle"},
    std::pair{ErrorId::BaseCancelled, "base.cancelled"},
    std::pair{ErrorId::BaseNoRoom, "base.no_room"},
    std::pair{ErrorId::BaseInternal, "base.internal"},
    std::pair{ErrorId::FrameNotReadable, "frame.not_readable"},
    std::pair{ErrorId::FrameNotAnImage, "frame.not_an_image"},
    std::pair{ErrorId::FrameTruncated, "frame.truncated"},
    std::pair{ErrorId::FrameNoTime, "frame.no_time"},
    std::pair{ErrorId::FrameNoFrames, "frame.no_frames"},
    std::pair{ErrorId::FrameTwice, "frame.twice"},
    std::pair{ErrorId::FrameBadWcs, "frame.bad_wcs"},
    std::pair{ErrorId::FrameBadEquipment, "frame.bad_equipment"},
    std::pair{ErrorId::FrameNoValues, "frame.no_values"},
    std::pair{ErrorId::CalibrateNoFrames, "calibrate.no_frames"},
    std::pair{ErrorId::CalibrateSizesDiffer, "calibrate.sizes_differ"},
    std::pair{ErrorId::CalibrateNoBackground, "calibrate.no_background"},
    std::pair{ErrorId::CalibrateBadOption, "calibrate.bad_option"},
    std::pair{ErrorId::DetectNoSources, "detect.no_sources"},
    std::pair{ErrorId::CatalogNotFound, "catalog.not_found"},
    std::pair{ErrorId::CatalogBadName, "catalog.bad_name"},
    std::pair{ErrorId::CatalogBadTable, "catalog.bad_table"},
    std::pair{ErrorId::CatalogNoStars, "catalog.no_stars"},
    std::pair{ErrorId::CatalogServiceRefused, "catalog.service_refused"},
    std::pair{ErrorId::CatalogNoAnswer, "catalog.no_answer"},
    std::pair{ErrorId::CatalogBadSurvey, "catalog.bad_survey"},
    std::pair{ErrorId::SolveTooFewStars, "solve.too_few_stars"},
    std::pair{ErrorId::SolveNoMatch, "solve.no_match"},
    std::pair{ErrorId::SolveNoHint, "solve.no_hint"},
    std::pair{ErrorId::OrbitBadLine, "orbit.bad_line"},
    std::pair{ErrorId::OrbitNotReadable, "orbit.not_readable"},
    std::pair{ErrorId::OrbitUnknownBody, "orbit.unknown_body"},
    std::pair{ErrorId::OrbitOutsideEphemeris, "orbit.outside_ephemeris"},
    std::pair{ErrorId::OrbitCollision, "orbit.collision"},
    std::pair{ErrorId::OrbitUnknownSite, "orbit.unknown_site"},
    std::pair{ErrorId::OrbitTooFewObservations, "orbit.too_few_observations"},
    std::pair{ErrorId::OrbitNotDetermined, "orbit.not_determined"},
    std::pair{ErrorId::IdentifyBadArchive, "identify.bad_archive"},
    std::pair{ErrorId::StackNoFrames, "stack.no_frames"},
    std::pair{ErrorId::StackNoCanvas, "stack.no_canvas"},
    std::pair{ErrorId::StackBadMarks, "stack.bad_marks"},
    std::pair{ErrorId::SweepNoMotion, "sweep.no_motion"},
    std::pair{ErrorId::SweepTooWide, "sweep.too_wide"},
    std::pair{ErrorId::PictureNoLayer, "picture.no_layer"},
    std::pair{ErrorId::FilmNoEncoder, "film.no_encoder"},
    std::pair{ErrorId::MeasureNotSeen, "measure.not_seen"},
    std::pair{ErrorId::MeasureOutside, "measure.outside"},
    std::pair{ErrorId::MeasureFitFailed, "measure.fit_failed"},
    std::pair{ErrorId::ReportNothingToReport, "report.nothing_to_report"},
    std::pair{ErrorId::ReportNoPackedForm, "report.no_packed_form"},
    std::pair{ErrorId::ReportNotValid, "report.not_valid"},
    std::pair{ErrorId::ReportDoubted, "report.doubted"},
    std::pair{ErrorId::ReportNotSent, "report.not_sent"},
    std::pair{ErrorId::ReportRefused, "report.refused"},
    std::pair{ErrorId::ReportUnsure, "report.unsure"},
    std::pair{ErrorId::SampNoHub, "samp.no_hub"},
    std::pair{ErrorId::SampRefused, "samp.refused"},
    std::pair{ErrorId::BatchBadCampaign, "batch.bad_campaign"},
    std::pair{ErrorId::BatchNoEngine, "batch.no_engine"},
    std::pair{ErrorId::BatchPieceFailed, "batch.piece_failed"},
    std::pair{ErrorId::NightNoLights, "night.no_lights"},
    std::pair{ErrorId::NightBadMarks, "night.bad_marks"},
    std::pair{ErrorId::NightBadRecipe, "night.bad_recipe"},
    std::pair{ErrorId::NightCannotStore, "night.cannot_store"},
    std::pair{ErrorId::NightFileDamaged, "night.file_damaged"},
    std::pair{ErrorId::NightInUse, "night.in_use"},
    std::pair{ErrorId::NightUnknownId, "night.unknown_id"},
    std::pair{ErrorId::CommandWrongUse, "command.wrong_use"},
};

constexpr auto kIds = [] {
    std::array<ErrorId, kNames.size()> ids{};
    for (std::size_t i = 0; i < ids.size(); ++i) {
        ids[i] = kNames[i].first;
    }
    return ids;
}();

} // namespace

const char* name(ErrorId id) {
    for (const auto& [known, text] : kNames) {
        if (known == id) {
            return text;
        }
    }
    failExpectation("a named ErrorId", __FILE__, __LINE__);
}

std::span<const ErrorId> allErrorIds() {
    return kIds;
}

Error errorOf(const std::exception& exception) {
    const auto* system = dynamic_cast<const std::system_error*>(&exception);
    // Libraries that start threads have exceptions of their own, with the system's words.
    const std::string words = exception.what();
    const bool hasNoThread =
        (system != nullptr && system->code() == std::errc::resource_unavailable_try_again) ||
        words.find("pthread_create") != std::string::npos;
    if (dynamic_cast<const std::bad_alloc*>(&exception) != nullptr || hasNoThread) {
        return {ErrorId::BaseNoRoom,
                "This machine has no memory or no thread left for it; end other programs and run "
                "again, "
                "finished work is kept.",
                {}};
    }
    return {
        ErrorId::BaseInternal, "An error of the program itself; please report it: " + words, {}};
}

std::string toMessage(const Error& error) {
    return error.subject.empty() ? error.detail : error.subject + ": " + error.detail;
}

} // namespace pathmark
