#include "core/night/reported_night.h"

#include "core/base/robust.h"
#include "core/night/report_doubts.h"
#include "core/report/writers.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <span>
#include <utility>

namespace pathmark::night {
namespace {

constexpr double kLeastSnr = 5.0;
constexpr double kMostErrorArcsec = 1.0;
constexpr double kFarErrors = 3.0;
constexpr double kFarMagnitudes = 1.0;
constexpr int kFewestStars = 8;

bool isReported(const MeasurementRecord& m) {
    return m.seen && m.state == MeasurementState::Kept;
}

std::vector<const MeasurementRecord*> reportedOnes(const ReportedNight& night) {
    std::vector<const MeasurementRecord*> reported;
    for (const MeasurementRecord& m : night.measurements) {
        if (isReported(m)) {
            reported.push_back(&m);
        }
    }
    return reported;
}

using LightsOfFrames = std::map<FrameId, const LightRecord*>;

LightsOfFrames lightsOfFrames(const ReportedNight& night) {
    LightsOfFrames lights;
    for (const LightRecord& light : night.lights) {
        lights[light.frame] = &light;
    }
    return lights;
}

report::Observation
observationOf(const MeasurementRecord& m, const LightsOfFrames& lights, const Recipe& recipe) {
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
    o.snr = m.snr;
    o.id = m.id;
    if (const auto light = lights.find(m.frame);
        !m.onStack && light != lights.end() && light->second->solved()) {
        o.fitRmsArcsec = light->second->rmsArcsec;
        o.seeingArcsec = light->second->fwhmPixels * light->second->wcs->scaleArcsec();
    }
    if (m.onStack) {
        o.remark = fmt::format("stack of {} frames on the motion", m.frames);
    }
    return o;
}

/// The file's pixel scale fills what the recipe leaves out.
report::ReportHead headOf(const ReportedNight& night, const Recipe& recipe) {
    report::ReportHead head = recipe.head;
    for (const LightRecord& light : night.lights) {
        if (light.solved()) {
            head.pixelScale = fmt::format("{:.2f}", light.wcs->scaleArcsec());
            break;
        }
    }
    return head;
}

/// What is known of all reported lines of a body together.
struct BodyLines {
    int lines = 0;
    std::vector<double> magnitudes;
    std::map<double, int> atTime; ///< by Julian date
};

std::map<BodyId, BodyLines> linesOfBodies(std::span<const MeasurementRecord* const> reported) {
    std::map<BodyId, BodyLines> bodies;
    for (const MeasurementRecord* m : reported) {
        BodyLines& body = bodies[m->body];
        ++body.lines;
        ++body.atTime[m->time.julian()];
        if (m->magnitude) {
            body.magnitudes.push_back(*m->magnitude);
        }
    }
    return bodies;
}

void warnOfPosition(const MeasurementRecord& m, std::vector<std::string>& warnings) {
    if (m.snr < kLeastSnr) {
        warnings.push_back(fmt::format("S/N {:.1f}.", m.snr));
    }
    const double error = std::max(m.raErrorArcsec, m.decErrorArcsec);
    if (error > kMostErrorArcsec) {
        warnings.push_back(fmt::format("The position is uncertain by {:.1f}\".", error));
    }
    if (isFarFromOrbit(m)) {
        warnings.push_back(
            fmt::format("It lies {:.1f}\" from its orbit.",
                        std::hypot(m.observedMinusComputedRa, m.observedMinusComputedDec)));
    }
    if (m.usedStars < kFewestStars) {
        warnings.push_back(m.usedStars == 1
                               ? "Its position rests on 1 star."
                               : fmt::format("Its position rests on {} stars.", m.usedStars));
    }
}

void warnOfMagnitude(const MeasurementRecord& m,
                     const BodyLines& body,
                     std::vector<std::string>& warnings) {
    if (!m.magnitude) {
        warnings.emplace_back("It has no magnitude.");
        return;
    }
    std::vector<double> magnitudes = body.magnitudes;
    const double off = *m.magnitude - medianInPlace(magnitudes);
    if (std::abs(off) > kFarMagnitudes && std::abs(off) > kFarErrors * m.magnitudeError) {
        warnings.push_back(fmt::format("It is {:.1f} mag {} than the body's other lines.",
                                       std::abs(off),
                                       off > 0.0 ? "fainter" : "brighter"));
    }
}

} // namespace

Result<ReportedNight> reportedOf(const NightFile& file) {
    auto measurements = file.measurements();
    auto lights = file.lights();
    if (!measurements || !lights) {
        return fail(measurements ? lights.error() : measurements.error());
    }
    return ReportedNight{std::move(*measurements), std::move(*lights)};
}

std::vector<ReportLine> reportLines(const ReportedNight& night, const Recipe& recipe) {
    if (recipe.ownStars) {
        return {};
    }
    const auto reported = reportedOnes(night);
    const auto bodies = linesOfBodies(reported);
    const LightsOfFrames lights = lightsOfFrames(night);
    const report::ReportHead head = headOf(night, recipe);
    auto doubts = reportDoubts({reported, recipe.siteKnown ? &recipe.site : nullptr});
    std::vector<ReportLine> lines;
    for (const MeasurementRecord* reportedOne : reported) {
        const MeasurementRecord& m = *reportedOne;
        ReportLine line{m.id, observationOf(m, lights, recipe), {}};
        const BodyLines& body = bodies.at(m.body);
        warnOfPosition(m, line.warnings);
        warnOfMagnitude(m, body, line.warnings);
        if (const auto light = lights.find(m.frame);
            light != lights.end() && light->second->timeUnsure) {
            line.warnings.emplace_back("The time of its frame is in doubt.");
        }
        if (body.lines == 1) {
            line.warnings.emplace_back("It is the only line of its body.");
        }
        if (body.atTime.at(m.time.julian()) > 1) {
            line.warnings.emplace_back("Another line of the body has the same time.");
        }
        if (!head.stationCode.empty() && !report::eightyColumnLine(head, line.observation)) {
            line.warnings.emplace_back(
                "Its designation has no packed form: 80 columns leave it out.");
        }
        for (std::string& words : doubts[m.id]) {
            line.warnings.push_back(std::move(words));
        }
        lines.push_back(std::move(line));
    }
    return lines;
}

Result<std::string> reportText(const ReportedNight& night,
                               const Recipe& recipe,
                               const std::string& format,
                               std::vector<Error>& leftOut) {
    if (recipe.ownStars) {
        return fail(ErrorId::ReportNothingToReport,
                    "Without a star catalogue nothing has a place on the sky, and nothing is "
                    "reported. Give a catalogue, or fetch one, and run again.");
    }
    const LightsOfFrames lights = lightsOfFrames(night);
    std::vector<report::Observation> observations;
    for (const MeasurementRecord* m : reportedOnes(night)) {
        observations.push_back(observationOf(*m, lights, recipe));
    }
    const auto head = headOf(night, recipe);
    if (head.stationCode.empty()) {
        return fail(ErrorId::OrbitUnknownSite,
                    "A report needs the observatory's code; give it as [site] code in the recipe, "
                    "or by --site.");
    }
    if (format == "xml") {
        return report::toAdesXml(head, observations);
    }
    return format == "80" ? report::toEightyColumn(head, observations, leftOut)
                          : report::toAdesPsv(head, observations);
}

} // namespace pathmark::night
