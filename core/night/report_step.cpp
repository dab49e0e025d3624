#include "core/base/atomic_file.h"
#include "core/night/run_night.h"
#include "core/report/writers.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

std::vector<report::Observation> observationsOf(const NightFile& file, const Recipe& recipe) {
    std::vector<report::Observation> observations;
    for (const MeasurementRecord& m : file.measurements()) {
        if (!m.seen || m.state != MeasurementState::Kept) {
            continue;
        }
        report::Observation o;
        o.body = m.body;
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
        if (m.frames > 1) {
            o.remark = fmt::format("stack of {} frames on the motion", m.frames);
        }
        observations.push_back(o);
    }
    return observations;
}

/// The file's pixel scale and detector fill what the recipe leaves out.
report::ReportHead headOf(const NightFile& file, const Recipe& recipe) {
    report::ReportHead head = recipe.head;
    for (const LightRecord& light : file.lights()) {
        if (light.solved()) {
            head.pixelScale = fmt::format("{:.2f}", light.wcs->scaleArcsec());
            break;
        }
    }
    return head;
}

std::string csvText(const NightFile& file) {
    std::string text = "body,time_utc,ra_deg,dec_deg,sigma_ra_arcsec,sigma_dec_arcsec,oc_ra_arcsec,"
                       "oc_dec_arcsec,mag,"
                       "sigma_mag,band,snr,rate_arcsec_per_min,position_angle_deg,x,y,frames,"
                       "picture,state,reason\n";
    for (const MeasurementRecord& m : file.measurements()) {
        std::string reason = m.reason;
        std::replace(reason.begin(), reason.end(), '"', '\'');
        const auto pixel = frame::toFits(m.pixel);
        const std::string head = fmt::format("{},{}", m.body, toIso(m.time));
        const std::string tail =
            fmt::format("{:.4f},{:.2f},{},{},{},{},\"{}\"\n",
                        m.rateArcsecPerMin,
                        m.positionAngleDegrees,
                        m.seen ? fmt::format("{:.3f},{:.3f}", pixel.x, pixel.y) : std::string(","),
                        m.frames,
                        m.picture.filename().string(),
                        m.seen ? name(m.state) : "not seen",
                        reason);
        if (!m.seen) {
            text.append(head).append(",,,,,,,,,,,").append(tail);
            continue;
        }
        text += fmt::format("{},{:.8f},{:.8f},{:.4f},{:.4f},{:.4f},{:.4f},{},{},{},{:.2f},{}",
                            head,
                            m.sky.longitude.degrees(),
                            m.sky.latitude.degrees(),
                            m.raErrorArcsec,
                            m.decErrorArcsec,
                            m.observedMinusComputedRa,
                            m.observedMinusComputedDec,
                            m.magnitude ? fmt::format("{:.4f}", *m.magnitude) : std::string(),
                            m.magnitude ? fmt::format("{:.4f}", m.magnitudeError) : std::string(),
                            m.band,
                            m.snr,
                            tail);
    }
    return text;
}

std::string summaryText(const NightFile& file, const std::vector<Error>& failures) {
    using nlohmann::json;
    json document{{"program", "Path Mark " PATHMARK_VERSION}};
    json frames = json::array();
    for (const LightRecord& light : file.lights()) {
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
    for (const MeasurementRecord& m : file.measurements()) {
        json& body = bodies[m.body];
        if (body.is_null()) {
            body = json{{"name", m.body},
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
    document["failures"] = toJson(failures);
    return document.dump(2) + "\n";
}

} // namespace

Result<std::string>
reportText(const NightFile& file, const Recipe& recipe, const std::string& format) {
    const auto observations = observationsOf(file, recipe);
    const auto head = headOf(file, recipe);
    if (format == "xml") {
        return report::toAdesXml(head, observations);
    }
    return format == "80" ? report::toEightyColumn(head, observations)
                          : report::toAdesPsv(head, observations);
}

Result<bool> writeReports(const NightFile& file,
                          const Recipe& recipe,
                          const fs::path& out,
                          std::vector<Error>& failures) {
    const std::map<std::string, std::string> names{
        {"psv", "report.psv"}, {"xml", "report.xml"}, {"80", "report.80.txt"}};
    for (const std::string& format : recipe.formats) {
        auto text = reportText(file, recipe, format);
        if (!text) {
            if (std::none_of(failures.begin(), failures.end(), [](const Error& error) {
                    return error.id == ErrorId::ReportNothingToReport;
                })) {
                failures.push_back(text.error());
            }
            // A report of an earlier run must not stand for this one.
            std::error_code ignored;
            fs::remove(out / names.at(format), ignored);
            continue;
        }
        if (auto written = writeWholeText(out / names.at(format), *text); !written) {
            return written;
        }
    }
    if (auto written = writeWholeText(out / "measurements.csv", csvText(file)); !written) {
        return written;
    }
    return writeWholeText(out / "summary.json", summaryText(file, failures));
}

} // namespace pathmark::night
