#include "core/night/steps/report_step.h"

#include "core/base/atomic_file.h"
#include "core/night/comet_table.h"
#include "core/night/failures_json.h"
#include "core/night/report/measurement_table.h"
#include "core/night/report/reported_night.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Results of this folder are named from it, so that it can be moved, and is the same wherever it was made.
std::string nameIn(const fs::path& out, const fs::path& file) {
    const fs::path near = file.lexically_relative(out);
    return near.empty() || *near.begin() == ".." ? file.string() : near.string();
}

std::string summaryText(const ReportedNight& night,
                        const Recipe& recipe,
                        const fs::path& out,
                        const std::vector<Error>& failures) {
    using nlohmann::json;
    json document{{"program", "Path Mark " PATHMARK_VERSION},
                  {"site_known", recipe.siteKnown},
                  {"places", recipe.ownStars ? "relative" : "sky"}};
    json frames = json::array();
    for (const LightRecord& light : night.lights) {
        json entry{{"file", light.raw.string()},
                   {"calibrated", nameIn(out, light.calibrated)},
                   {"mid_time", toIso(light.middle)},
                   {"solved", light.solved()},
                   {"reason", light.problem},
                   {"fwhm_px", light.fwhmPixels},
                   {"sources", light.sources}};
        if (light.solved()) {
            entry["rms_arcsec"] = light.rmsArcsec;
            entry["matched"] = light.matchedStars;
            entry["false_alarm_log10"] = light.falseAlarmLog10;
        }
        if (light.photometry) {
            entry["zero_point"] = light.photometry->zeroPoint;
            entry["limiting_mag"] = light.photometry->limitingMag;
        }
        frames.push_back(std::move(entry));
    }
    document["frames"] = std::move(frames);
    std::map<std::string, json> bodies;
    for (const MeasurementRecord& m : night.measurements) {
        json& body = bodies[m.body.text()];
        if (body.is_null()) {
            body = json{{"name", m.body.text()},
                        {"candidate", m.candidate},
                        {"measured", 0},
                        {"kept", 0},
                        {"not_seen", 0}};
        }
        body["measured"] = body["measured"].get<int>() + (m.seen ? 1 : 0);
        body["not_seen"] = body["not_seen"].get<int>() + (m.seen ? 0 : 1);
        body["kept"] =
            body["kept"].get<int>() + (m.seen && m.state == MeasurementState::Kept ? 1 : 0);
    }
    json list = json::array();
    for (auto& body : bodies) {
        list.push_back(std::move(body.second));
    }
    document["bodies"] = std::move(list);
    document["failures"] = failuresJson(failures);
    return document.dump(2, ' ', false, json::error_handler_t::replace) + "\n";
}

/// Adds what is not told yet: what one form has no words for, another has none for either.
void tell(Error error, std::vector<Error>& failures) {
    if (std::none_of(failures.begin(), failures.end(), [&](const Error& told) {
            return told.id == error.id && told.subject == error.subject;
        })) {
        failures.push_back(std::move(error));
    }
}

/// Writes a file, or takes away that of an earlier run, which must not stand for this one, where there is no text for it.
Result<bool> writeOrRemove(const fs::path& path, const std::string& text) {
    if (text.empty()) {
        std::error_code ignored;
        fs::remove(path, ignored);
        return true;
    }
    return writeWholeText(path, text);
}

} // namespace

Result<bool> writeReports(const NightFile& file,
                          const Recipe& recipe,
                          const fs::path& out,
                          std::vector<Error>& failures) {
    const auto night = reportedOf(file);
    if (!night) {
        return fail(night.error());
    }
    for (const char* format : {"psv", "xml", "80"}) {
        const report::Form form = *reportFormNamed(format);
        const bool wanted =
            std::find(recipe.formats.begin(), recipe.formats.end(), format) != recipe.formats.end();
        std::vector<Error> leftOut;
        auto text =
            wanted ? reportText(*night, recipe, form, leftOut) : Result<std::string>(std::string());
        for (Error& error : leftOut) {
            tell(std::move(error), failures);
        }
        if (!text) {
            tell(text.error(), failures);
        }
        if (auto written = writeOrRemove(out / reportFile(form), text.value_or(std::string()));
            !written) {
            return written;
        }
    }
    if (auto written = writeWholeText(out / "measurements.csv",
                                      catalog::toCsv(measurementTable(night->measurements)));
        !written) {
        return written;
    }
    if (auto written = writeOrRemove(out / "comets.csv", cometTable(night->measurements));
        !written) {
        return written;
    }
    return writeWholeText(out / "summary.json", summaryText(*night, recipe, out, failures));
}

Result<bool> reportStep(NightRun& run) {
    run.job().progress("Writing reports", 0, 1);
    return writeReports(run.file(), run.recipe, run.calibration.out, run.calibration.failures);
}

} // namespace pathmark::night
