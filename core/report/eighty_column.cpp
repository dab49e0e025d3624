#include "core/orbit/formats/eighty_column.h"

#include "core/report/writers.h"

#include <fmt/format.h>

#include <set>

namespace pathmark::report {
namespace {

/// Column 15: how the place was taken; blank where nobody said.
///
/// Source   Minor Planet Center, "Optical Astrometric Observations Format": Note 2.
char kindOf(const std::string& detector) {
    if (detector == "CCD" || detector == "VID" || detector == "TDI") {
        return 'C';
    }
    if (detector == "CMO") {
        return 'B';
    }
    if (detector == "PHO") {
        return 'P';
    }
    if (detector == "ENC") {
        return 'e';
    }
    if (detector == "MIC") {
        return 'M';
    }
    return detector == "MER" ? 'T' : ' ';
}

} // namespace

Result<std::string> eightyColumnLine(const ReportHead& head, const Observation& o) {
    orbit::Observation line;
    line.body = o.body;
    line.ownName = o.ownName ? o.body : "";
    line.time = o.time;
    line.sky = o.sky;
    line.station = head.stationCode;
    line.magnitude = o.magnitude;
    line.band = o.magnitude ? o.band.substr(0, 1) : "";
    line.starCatalogue = o.catalogue;
    // A note on the line comes before the code of the programme, which stands in the same column.
    line.notes.note = o.stackedFrames > 1          ? 'K'
                      : head.programme.size() == 1 ? head.programme.front()
                                                   : ' ';
    line.notes.kind = kindOf(head.detector);
    auto text = orbit::toEightyColumn(line);
    if (!text) {
        return fail(ErrorId::ReportNoPackedForm,
                    "The designation has no packed form, so this body is left out of the 80-column "
                    "report; the ADES reports have it.",
                    o.body);
    }
    return text;
}

Result<std::string> toEightyColumn(const ReportHead& head,
                                   std::span<const Observation> observations,
                                   std::vector<Error>& leftOut) {
    if (observations.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    "No measurement is kept; keep at least one before reporting.");
    }
    std::string text = "COD " + head.stationCode + "\n";
    const auto people = [&](const char* key, const std::vector<std::string>& names) {
        for (const std::string& person : names) {
            text += fmt::format("{} {}\n", key, person);
        }
    };
    people("OBS", head.observers);
    people("MEA", head.measurers);
    std::string telescope = head.aperture.empty() ? "" : head.aperture + "-m";
    for (const auto& [part, before] :
         {std::pair{&head.telescopeDesign, " "}, std::pair{&head.detector, " + "}}) {
        if (!part->empty()) {
            telescope += (telescope.empty() ? "" : before) + *part;
        }
    }
    if (!telescope.empty()) {
        text += "TEL " + telescope + "\n";
    }
    if (!observations.front().catalogue.empty()) {
        text += "NET " + observations.front().catalogue + "\n";
    }
    std::set<std::string> without;
    std::size_t written = 0;
    for (const Observation& observation : observations) {
        auto line = eightyColumnLine(head, observation);
        if (line) {
            text += *line + "\n";
            ++written;
        } else if (without.insert(observation.body).second) {
            leftOut.push_back(line.error());
        }
    }
    if (written == 0) {
        return fail(ErrorId::ReportNothingToReport,
                    "No body that is kept has a packed designation; report them in ADES.");
    }
    return text;
}

} // namespace pathmark::report
