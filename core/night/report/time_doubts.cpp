#include "core/base/now.h"
#include "core/night/recipe.h"
#include "core/night/report/report_doubts.h"
#include "core/night/report/reported_night.h"
#include "core/orbit/place/sun_altitude.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace pathmark::night {
namespace {

constexpr double kDarkDegrees = -6.0;
constexpr double kBlurArcsec = 0.05; ///< that a cut-off second may make
constexpr double kStepSigma = 0.289; ///< of a second that is cut off, in seconds
constexpr double kMadeUpAfter =
    10.0; ///< days: slips of clocks and dates; what lies further off is made up
constexpr double kOverlapShare =
    0.25; ///< of the shorter stack: a weighted middle is not the middle

void doubtSun(const MeasurementRecord& m, const frame::Site& site, DoubtList& doubts) {
    const double sun = orbit::sunAltitude(site, m.time).degrees();
    if (sun > kDarkDegrees) {
        doubts.add(m,
                   DoubtKind::Daylight,
                   sun > 0.0 ? fmt::format("The Sun stood {:.0f}° high at its time.", sun)
                             : fmt::format("The Sun stood only {:.0f}° below the horizon at its "
                                           "time.",
                                           -sun));
    }
}

void doubtFuture(const MeasurementRecord& m, const Utc& today, DoubtList& doubts) {
    const double ahead = m.time.secondsSince(today) / kSecondsPerDay;
    if (ahead > 0.0 && ahead < kMadeUpAfter) {
        doubts.add(m,
                   DoubtKind::Future,
                   ahead < 1.0
                       ? fmt::format("Its time is still to come, in {:.1f} hours.", 24.0 * ahead)
                       : fmt::format("Its time is still to come, in {:.0f} days.", ahead));
    }
}

/// What the end of a second blurs along the motion.
void doubtStep(const DoubtedLine& line, DoubtList& doubts) {
    const MeasurementRecord& m = *line.measured;
    const double blur = kStepSigma * m.rateArcsecPerMin / 60.0;
    if (line.said->timeStepSeconds && !line.said->timeUncertainSeconds &&
        blur > std::max(kBlurArcsec, 0.5 * std::max(m.raErrorArcsec, m.decErrorArcsec))) {
        doubts.add(m,
                   DoubtKind::WholeSeconds,
                   fmt::format("Its header's times are whole seconds: it may lie {:.2f}\" off "
                               "along its motion.",
                               blur));
    }
}

/// How many series took frames between two times.
std::size_t seriesBetween(const std::vector<LightRecord>& lights, const Utc& from, const Utc& to) {
    std::set<SeriesId> series;
    for (const LightRecord& light : lights) {
        if (!(light.middle < from) && !(to < light.middle)) {
            series.insert(light.series);
        }
    }
    return series.size();
}

struct Span {
    const MeasurementRecord* line;
    Utc from;
    Utc to;
};

/// Stacks of a body that share their frames say the same thing twice. Where two cameras worked at once nobody can tell by the time.
void doubtOverlaps(const DoubtedReport& report, DoubtList& doubts) {
    std::map<BodyId, std::vector<Span>> bodies;
    for (const DoubtedLine& line : report.lines) {
        const MeasurementRecord& m = *line.measured;
        const double half = 0.5 * (m.onStack ? m.spanSeconds : m.exposureSeconds);
        bodies[m.body].push_back({&m, m.time.plusSeconds(-half), m.time.plusSeconds(half)});
    }
    std::set<const MeasurementRecord*> told;
    for (auto& [body, spans] : bodies) {
        std::stable_sort(spans.begin(), spans.end(), [](const Span& a, const Span& b) {
            return a.from < b.from;
        });
        for (std::size_t i = 0; i < spans.size(); ++i) {
            for (std::size_t k = i + 1; k < spans.size() && spans[k].from < spans[i].to; ++k) {
                const Span& a = spans[i];
                const Span& b = spans[k];
                const Utc end = a.to < b.to ? a.to : b.to;
                const double shorter =
                    std::min(a.to.secondsSince(a.from), b.to.secondsSince(b.from));
                if ((a.line->onStack || b.line->onStack) &&
                    end.secondsSince(b.from) > kOverlapShare * shorter &&
                    seriesBetween(report.night.lights, b.from, end) < 2) {
                    told.insert(a.line);
                    told.insert(b.line);
                }
            }
        }
    }
    for (const DoubtedLine& line : report.lines) {
        if (told.contains(line.measured)) {
            doubts.add(*line.measured,
                       DoubtKind::Overlap,
                       "Another line of the body is of the same stretch of time: its frames count "
                       "twice.");
        }
    }
}

} // namespace

void doubtTimes(const DoubtedReport& report, DoubtList& doubts) {
    const Utc today = utcNow();
    const LightsOfFrames lights = lightsOfFrames(report.night);
    std::map<std::pair<BodyId, double>, int> atTime;
    for (const DoubtedLine& line : report.lines) {
        ++atTime[{line.measured->body, line.measured->time.julian()}];
    }
    for (const DoubtedLine& line : report.lines) {
        const MeasurementRecord& m = *line.measured;
        if (report.recipe.siteKnown) {
            doubtSun(m, report.recipe.site, doubts);
        }
        doubtFuture(m, today, doubts);
        doubtStep(line, doubts);
        if (const auto light = lights.find(m.frame); light != lights.end() &&
                                                     light->second->timeUnsure &&
                                                     !line.said->timeUncertainSeconds) {
            doubts.add(m, DoubtKind::TimeUnsure, "The time of its frame is in doubt.");
        }
        if (atTime.at({m.body, m.time.julian()}) > 1) {
            doubts.add(m, DoubtKind::SameTime, "Another line of the body has the same time.");
        }
    }
    doubtOverlaps(report, doubts);
}

} // namespace pathmark::night
