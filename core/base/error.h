#pragma once

#include <exception>
#include <span>
#include <string>

namespace pathmark {

/// What went wrong, as a stable id; every one has an entry in docs/errors.md.
enum class ErrorId {
    BaseCannotWrite,
    BaseDiskFull,
    BaseBadTime,
    BaseBadAngle,
    BaseCancelled,
    BaseNoRoom,
    BaseInternal,
    FrameNotReadable,
    FrameNotAnImage,
    FrameTruncated,
    FrameNoTime,
    FrameNoFrames,
    FrameTwice,
    FrameBadWcs,
    FrameBadEquipment,
    FrameNoValues,
    CalibrateNoFrames,
    CalibrateSizesDiffer,
    CalibrateNoBackground,
    CalibrateBadOption,
    DetectNoSources,
    CatalogNotFound,
    CatalogBadName,
    CatalogBadTable,
    CatalogNoStars,
    CatalogServiceRefused,
    CatalogNoAnswer,
    CatalogBadSurvey,
    SolveTooFewStars,
    SolveNoMatch,
    SolveNoHint,
    OrbitBadLine,
    OrbitNotReadable,
    OrbitUnknownBody,
    OrbitOutsideEphemeris,
    OrbitCollision,
    OrbitUnknownSite,
    OrbitTooFewObservations,
    OrbitNotDetermined,
    IdentifyBadArchive,
    StackNoFrames,
    StackNoCanvas,
    StackBadMarks,
    SweepNoMotion,
    SweepTooWide,
    PictureNoLayer,
    FilmNoEncoder,
    MeasureNotSeen,
    MeasureOutside,
    MeasureFitFailed,
    ReportNothingToReport,
    ReportNoPackedForm,
    ReportNotValid,
    ReportDoubted,
    ReportNotSent,
    ReportRefused,
    ReportUnsure,
    SampNoHub,
    SampRefused,
    BatchBadCampaign,
    BatchNoEngine,
    BatchPieceFailed,
    NightNoLights,
    NightBadMarks,
    NightBadRecipe,
    NightCannotStore,
    NightFileDamaged,
    NightInUse,
    NightUnknownId,
    CommandWrongUse,
};

/// The id's name as written in docs/errors.md, e.g. "frame.truncated".
const char* name(ErrorId id);

/// Every id, in order of declaration.
std::span<const ErrorId> allErrorIds();

/// A failure that the data or the machine caused: what happened, to which file, what to do next.
struct Error {
    ErrorId id;
    std::string detail;  ///< one or two sentences for the observer, with the remedy
    std::string subject; ///< the file, frame or body it happened to; may be empty
};

/// What an exception means that nothing below has turned into an error: no memory or no thread was to be had, else a mistake of the program.
Error errorOf(const std::exception& exception);

/// "subject: detail", or the detail alone where there is no subject.
std::string toMessage(const Error& error);

} // namespace pathmark
