#include "core/orbit/formats/eighty_column.h"

#include "core/report/writers.h"

#include <fmt/format.h>

namespace pathmark::report {
Result<std::string> eightyColumnLine(const std::string& stationCode, const Observation& o) {
    orbit::Observation line;
    line.body = o.body;
    line.ownName = o.ownName ? o.body : "";
    line.time = o.time;
    line.sky = o.sky;
    line.station = stationCode;
    line.magnitude = o.magnitude;
    line.band = o.magnitude ? o.band.substr(0, 1) : "";
    line.starCatalogue = o.catalogue;
    line.notes.note = o.stackedFrames > 1 ? 'K' : ' ';
    auto text = orbit::toEightyColumn(line);
    if (!text) {
        return fail(ErrorId::ReportNothingToReport,
                    "The designation has no packed form; report this body in ADES.",
                    o.body);
    }
    return text;
}

Result<std::string> toEightyColumn(const ReportHead& head,
                                   std::span<const Observation> observations) {
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
    text += fmt::format("TEL {}{}{}\n",
                        head.aperture.empty() ? "" : head.aperture + "-m ",
                        head.telescopeDesign.empty() ? "Reflector" : head.telescopeDesign,
                        head.detector.empty() ? " + CCD" : " + " + head.detector);
    if (!observations.front().catalogue.empty()) {
        text += "NET " + observations.front().catalogue + "\n";
    }
    for (const Observation& observation : observations) {
        auto line = eightyColumnLine(head.stationCode, observation);
        if (!line) {
            return line;
        }
        text += *line + "\n";
    }
    return text;
}

} // namespace pathmark::report
