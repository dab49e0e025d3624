#include "core/night/steps/report_step.h"

#include "core/base/atomic_file.h"
#include "core/night/failures_json.h"
#include "core/report/writers.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <map>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// What reports are written from.
struct Reported {
    std::vector<MeasurementRecord> measurements;
    std::vector<LightRecord> lights;
};

Result<Reported> reportedOf(const NightFile& file) {
    auto measurements = file.measurements();
    auto lights = file.lights();
    if (!measurements || !lights) {
        return fail(measurements ? lights.error() : measurements.error());
    }
    return Reported{std::move(*measurements), std::move(*lights)};
}

std::vector<report::Observation> observationsOf(const Reported& night, const Recipe& recipe) {
    std::vector<report::Observation> observations;
    for (const MeasurementRecord& m : night.measurements) {
        if (!m.seen || m.state != MeasurementState::Kept) {
            continue;
        }
        report::Observation o;
        o.body = m.body.text();
        o.ownName = m.candidate;
        o.time = m.time;
        o.sky = m.sky;
        o.raErrorArcsec = m.raErrorArcsec;
        o.decErrorArcsec = m.decErrorArcsec;
        o.magnitude = m.magnitude;
        o.magnitudeError = m.magnitudeError;
        o.band = m.band;
        o.catalogue = recipe.catalogAdesName;
        o.usedStars = m.usedStars;
        o.exposureSeconds = m.exposureSeconds;
        o.stackedFrames = m.frames;
        if (m.onStack) {
            o.remark = fmt::format("stack of {} frames on the motion", m.frames);
        }
        observations.push_back(o);
    }
    return observations;
}

/// The file's pixel scale and detector fill what the recipe leaves out.
report::ReportHead headOf(const Reported& night, const Recipe& recipe) {
    report::ReportHead head = recipe.head;
    for (const LightRecord& light : night.lights) {
        if (light.solved()) {
            head.pixelScale = fmt::format("{:.2f}", light.wcs->scaleArcsec());
            break;
        }
    }
    return head;
}

/// A field of a CSV line, in quotes where it needs them.
///
/// Source   RFC 4180.
std::string csvField(std::string text) {
    std::replace(text.begin(), text.end(), '\n', ' ');
    std::replace(text.begin(), text.end(), '\r', ' ');
    if (text.find_first_of(",\"") == std::string::npos) {
        return text;
    }
    std::string quoted = "\"";
    for (const char c : text) {
        quoted += c == '"' ? "\"\"" : std::string(1, c);
    }
    return quoted + "\"";
}

std::string csvText(const Reported& night) {
    std::string text = "body,time_utc,ra_deg,dec_deg,sigma_ra_arcsec,sigma_dec_arcsec,oc_ra_arcsec,"
                       "oc_dec_arcsec,mag,"
                       "sigma_mag,band,snr,rate_arcsec_per_min,position_angle_deg,x,y,frames,"
                       "picture,state,reason,id\n";
    for (const MeasurementRecord& m : night.measurements) {
        const auto pixel = frame::toFits(m.pixel);
        text += csvField(m.body.text()) + "," + toIso(m.time) + ",";
        if (m.seen) {
            text +=
                fmt::format("{:.8f},{:.8f},{:.4f},{:.4f},{:.4f},{:.4f},{},{},{},{:.2f},",
                            m.sky.longitude.degrees(),
                            m.sky.latitude.degrees(),
                            m.raErrorArcsec,
                            m.decErrorArcsec,
                            m.observedMinusComputedRa,
                            m.observedMinusComputedDec,
                            m.magnitude ? fmt::format("{:.4f}", *m.magnitude) : std::string(),
                            m.magnitude ? fmt::format("{:.4f}", m.magnitudeError) : std::string(),
                            csvField(m.band),
                            m.snr);
        } else {
            text += ",,,,,,,,,,";
        }
        text +=
            fmt::format("{:.4f},{:.2f},{},{},{},{},{},{}\n",
                        m.rateArcsecPerMin,
                        m.positionAngleDegrees,
                        m.seen ? fmt::format("{:.3f},{:.3f}", pixel.x, pixel.y) : std::string(","),
                        m.frames,
                        csvField(m.picture.filename().string()),
                        m.seen ? name(m.state) : "not seen",
                        csvField(m.reason),
                        m.id);
    }
    return text;
}

std::string summaryText(const Reported& night, const std::vector<Error>& failures) {
    using nlohmann::json;
    json document{{"program", "Path Mark " PATHMARK_VERSION}};
    json frames = json::array();
    for (const LightRecord& light : night.lights) {
        json entry{{"file", light.raw.string()},
                   {"calibrated", light.calibrated.string()},
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

/// Bodies that a format has no form for are named in `leftOut`.
Result<std::string> textOf(const Reported& night,
                           const Recipe& recipe,
                           const std::string& format,
                           std::vector<Error>& leftOut) {
    const auto observations = observationsOf(night, recipe);
    const auto head = headOf(night, recipe);
    if (head.stationCode.empty()) {
        return fail(ErrorId::OrbitUnknownSite,
                    "A report needs the observatory's code; give it as [site] code in the recipe.");
    }
    if (format == "xml") {
        return report::toAdesXml(head, observations);
    }
    return format == "80" ? report::toEightyColumn(head, observations, leftOut)
                          : report::toAdesPsv(head, observations);
}

/// The files of the formats, by their names in the recipe.
constexpr std::array kFormats{std::pair{"psv", "report.psv"},
                              std::pair{"xml", "report.xml"},
                              std::pair{"80", "report.80.txt"}};

} // namespace

Result<std::string>
reportText(const NightFile& file, const Recipe& recipe, const std::string& format) {
    const auto night = reportedOf(file);
    std::vector<Error> leftOut; // told when the report is written
    return night ? textOf(*night, recipe, format, leftOut) : fail(night.error());
}

Result<bool> writeReports(const NightFile& file,
                          const Recipe& recipe,
                          const fs::path& out,
                          std::vector<Error>& failures) {
    const auto night = reportedOf(file);
    if (!night) {
        return fail(night.error());
    }
    for (const auto& [format, name] : kFormats) {
        const bool wanted =
            std::find(recipe.formats.begin(), recipe.formats.end(), format) != recipe.formats.end();
        auto text =
            wanted ? textOf(*night, recipe, format, failures) : Result<std::string>(std::string());
        if (!text) {
            if (std::none_of(failures.begin(), failures.end(), [&](const Error& error) {
                    return error.id == text.error().id;
                })) {
                failures.push_back(text.error());
            }
        }
        if (!text || !wanted) {
            // A report of an earlier run must not stand for this one.
            std::error_code ignored;
            fs::remove(out / name, ignored);
            continue;
        }
        if (auto written = writeWholeText(out / name, *text); !written) {
            return written;
        }
    }
    if (auto written = writeWholeText(out / "measurements.csv", csvText(*night)); !written) {
        return written;
    }
    return writeWholeText(out / "summary.json", summaryText(*night, failures));
}

Result<bool> reportStep(NightRun& run) {
    run.job().progress("Writing reports", 0, 0);
    return writeReports(run.file(), run.recipe, run.calibration.out, run.calibration.failures);
}

} // namespace pathmark::night
