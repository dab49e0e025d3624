#pragma once

#include "core/base/result.h"
#include "core/night/night_file.h"
#include "core/night/recipe.h"
#include "core/night/records.h"
#include "core/night/report/doubt.h"
#include "core/night/report/sent_lines.h"
#include "core/report/observation.h"
#include "core/report/read_back.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::night {

/// What reports are written from and held against, with the observer's decisions laid over.
struct ReportedNight {
    std::vector<MeasurementRecord> measurements;
    std::vector<LightRecord> lights;
    std::vector<frame::FrameInfo> frames;
    std::vector<PredictionRecord> predictions;
    std::vector<TrackRecord> tracks;
    Decided decided;
    std::vector<Sending> sendings;
};

/// Errors   those of reading the night file
Result<ReportedNight> reportedOf(const NightFile& file);

/// Its lights and frames by the frame.
using LightsOfFrames = std::map<FrameId, const LightRecord*>;
using FramesById = std::map<FrameId, const frame::FrameInfo*>;

LightsOfFrames lightsOfFrames(const ReportedNight& night);
FramesById framesById(const ReportedNight& night);

/// What a body is called in reports: the observer's own name of something new, where there is one.
std::string reportedName(const ReportedNight& night, const BodyId& body);

/// One line of the report, and what speaks against sending it.
struct ReportLine {
    std::string measurement; ///< MeasurementRecord::id
    report::Observation observation;
    std::vector<Doubt> doubts;    ///< none: nothing does
    std::optional<LineFate> fate; ///< where it was sent before

    /// Whether something speaks against it that the observer has not waived.
    [[nodiscard]] bool isDoubted() const;

    /// Whether it is to be sent: it was not yet, or was refused, or is sent again as the observer says.
    [[nodiscard]] bool isToBeSent() const;
};

/// The lines that are kept, in the order of the measurements.
///
/// Model    A line is doubted where its S/N is below 5; its position is uncertain by more than 1 arcsec; it is of a known body and
///          lies more than 1 arcsec and 4 of its own errors from the orbit; it has no magnitude, or one that is more than 1 mag and 3
///          errors from the body's median; fewer than 8 stars carried it; the time of its frame is in doubt; it is the only one of its
///          body; another of the body has the same time; its designation has no packed form; and of what lines say together, of
///          times, names and places see report_doubts.h. What was sent already is doubted where it has changed since.
std::vector<ReportLine> reportLines(const ReportedNight& night, const Recipe& recipe);

/// A report form by its name in recipes: "psv", "xml", "80".
std::optional<report::Form> reportFormNamed(std::string_view name);

/// "report.psv", "report.xml", "report.80.txt".
const char* reportFile(report::Form form);

/// The text of one report form of the kept measurements, or only of some of them; held against the structure of the standard and
/// read back before it is given out. Bodies that the form has no designation for are left out and named in `leftOut`.
///
/// Errors   report.nothing_to_report, report.not_valid, orbit.unknown_site
Result<std::string> reportText(const ReportedNight& night,
                               const Recipe& recipe,
                               report::Form form,
                               std::vector<Error>& leftOut,
                               const std::vector<std::string>* only = nullptr);

} // namespace pathmark::night
