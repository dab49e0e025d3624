#include "core/night/report/new_body.h"

#include "core/base/sexagesimal.h"
#include "core/night/report/report_doubts.h"
#include "core/orbit/place/site_place.h"
#include "core/orbit/place/sun_altitude.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

constexpr double kMostPlaces = 2000.0;

/// How high a direction stands: by the site's own vertical, which Earth's turn carries.
Angle heightOf(const frame::Site& site, const Utc& time, const SkyPos& sky) {
    const frame::Site place = orbit::geodetic(site);
    frame::Site above = place;
    above.altitudeMetres += 1000.0;
    const Vec3 up = orbit::sitePlace(above, time).position - orbit::sitePlace(place, time).position;
    return Angle::radians(std::asin(std::clamp(dot(up, sky.vector()) / norm(up), -1.0, 1.0)));
}

/// What the last look says of its being a known body.
std::string knownWords(const ReportedNight& night, const Recipe& recipe, const BodyId& body) {
    for (const ReportLine& line : reportLines(night, recipe)) {
        const auto m = std::find_if(night.measurements.begin(),
                                    night.measurements.end(),
                                    [&](const auto& one) { return one.id == line.measurement; });
        for (const Doubt& doubt : line.doubts) {
            if (m->body == body && doubt.kind == DoubtKind::KnownBody) {
                return doubt.words;
            }
        }
    }
    return {};
}

void addComing(const OrbitSources& sources,
               const BodyOrbit& orbit,
               const ComingHours& hours,
               NewBodyLook& look) {
    const double steps =
        std::clamp(hours.hours / std::max(1e-3, hours.stepHours), 0.0, kMostPlaces);
    for (int i = 0; i <= static_cast<int>(steps); ++i) {
        const Utc time = hours.from.plusSeconds(3600.0 * hours.stepHours * i);
        const auto observer = orbit::observerAt(
            sources.tables.planets, sources.recipe.site, time, sources.tables.turn);
        if (!observer) {
            return; // beyond what the planets' file reaches
        }
        std::optional<orbit::MotionBounds> bounds;
        if (orbit.judgement.cloud) {
            bounds = orbit::boundsOf(*orbit.judgement.cloud, sources.tables.planets, *observer);
        } else if (auto fitted =
                       orbit::boundsOf(*orbit.judgement.fit, sources.tables.planets, *observer)) {
            bounds = *fitted;
        }
        if (bounds) {
            look.coming.push_back({*bounds,
                                   heightOf(sources.recipe.site, time, bounds->sky),
                                   orbit::sunAltitude(sources.recipe.site, time)});
        }
    }
}

} // namespace

Result<NewBodyLook> lookAtNewBody(const OrbitSources& sources,
                                  const ReportedNight& night,
                                  const BodyId& body,
                                  const ComingHours& hours,
                                  const std::stop_token& stop) {
    std::vector<MeasurementRecord> lines;
    for (const MeasurementRecord& m : night.measurements) {
        if (m.body == body && m.candidate && m.seen && m.state != MeasurementState::Dropped) {
            lines.push_back(m);
            lines.back().state = MeasurementState::Kept; // parked ones tell of it as well
        }
    }
    if (lines.empty()) {
        return fail(ErrorId::NightUnknownId,
                    "No candidate of this night has this name, or all of its lines are dropped.",
                    body.text());
    }
    std::sort(
        lines.begin(), lines.end(), [](const auto& a, const auto& b) { return a.time < b.time; });
    const MeasurementRecord& middle = lines[lines.size() / 2];
    NewBodyLook look;
    look.name = reportedName(night, body);
    look.lines = lines.size();
    look.arcHours = lines.back().time.secondsSince(lines.front().time) / 3600.0;
    look.at = middle.time;
    look.sky = middle.sky;
    look.rateArcsecPerMin = middle.rateArcsecPerMin;
    look.positionAngleDegrees = middle.positionAngleDegrees;
    look.magnitude = middle.magnitude;
    look.known = knownWords(night, sources.recipe, body);
    std::set<BodyId> known;
    for (const PredictionRecord& p : night.predictions) {
        if (!p.candidate) {
            known.insert(p.body);
        }
    }
    look.knownInFrames = known.size();
    if (const auto observer = orbit::observerAt(
            sources.tables.planets, sources.recipe.site, middle.time, sources.tables.turn)) {
        const SkyPos sun = SkyPos::fromVector(observer->sunPlace - observer->place);
        look.fromSun = separation(sun, middle.sky);
    }
    const auto orbit = judgeBody(sources,
                                 orbitCaseOf(sources, lines, night.decided.observationsOff, body),
                                 middle.time,
                                 stop);
    if (!orbit) {
        return fail(orbit.error());
    }
    if (orbit->judgement.cloud) {
        look.ranges = orbit::rangesOf(*orbit->judgement.cloud);
        look.orbits = orbit->judgement.cloud->cells.size();
    } else {
        look.fit = orbit->judgement.fit;
        look.errors = orbit->errors;
    }
    addComing(sources, *orbit, hours, look);
    return look;
}

std::string comingText(const NewBodyLook& look) {
    std::string text = fmt::format("{}: UTC, RA, Dec, uncertain by (arcsec), rate (arcsec/min), "
                                   "towards (deg), height, Sun's height\n",
                                   look.name);
    for (const ComingPlace& place : look.coming) {
        const orbit::MotionBounds& b = place.bounds;
        text += fmt::format("{}  {}  {}  {:8.1f}  {:7.2f}  {:5.1f}  {:3.0f}  {:3.0f}\n",
                            toIso(b.time, 0).substr(0, 16),
                            toHours(b.sky.longitude, 1),
                            toDegrees(b.sky.latitude, 0),
                            b.place.major.arcsec(),
                            b.rateArcsecPerMin,
                            b.positionAngle.degrees(),
                            place.height.degrees(),
                            place.sunHeight.degrees());
    }
    return text;
}

} // namespace pathmark::night
