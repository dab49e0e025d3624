#pragma once

#include "core/night/recipe.h"
#include "core/night/report/reported_night.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <random>
#include <string>
#include <vector>

/// Truth: a made-up night whose report is honest: what is said of it is so to the errors stated.
namespace pathmark::night {

inline constexpr int kMadeFrames = 9;
inline const Utc kFirstLight = parseUtc("2034-03-17T20:00:00.37").value();

inline frame::Site ridge() {
    frame::Site site;
    site.longitude = Angle::degrees(23.4127);
    site.latitude = Angle::degrees(-31.2086);
    site.altitudeMetres = 1374.0;
    return site;
}

struct MadeBody {
    const char* name;
    double arcsecPerMin;
    double angleDegrees;
    bool candidate;
};

inline constexpr std::array kMadeBodies{MadeBody{"(2711043)", 0.7, 290.0, false},
                                        MadeBody{"(2804417)", 0.6, 285.0, false},
                                        MadeBody{"2034 EQ7", 3.1, 10.0, false},
                                        MadeBody{"2034 ER8", 22.0, 140.0, false},
                                        MadeBody{"c031701", 2.9, 2.0, true}};

/// An honest report: places scatter as their errors say, orbits are off by a few hundredths of an arcsec.
inline std::vector<MeasurementRecord> honest(unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise;
    std::vector<MeasurementRecord> lines;
    int number = 0;
    for (const MadeBody& body : kMadeBodies) {
        const double orbitRa = 0.03 * noise(random);
        const double orbitDec = 0.03 * noise(random);
        for (int i = 0; i < kMadeFrames; ++i) {
            MeasurementRecord m;
            m.id = fmt::format("m{}", number++);
            m.body = BodyId::of(body.name);
            m.candidate = body.candidate;
            m.frame = FrameId(fmt::format("f{}", i));
            m.time = kFirstLight.plusSeconds(400.0 * i);
            m.seen = true;
            m.sky = skyDegrees(177.0 + 0.01 * static_cast<double>(&body - kMadeBodies.data()),
                               2.0 + 0.0001 * i);
            m.raErrorArcsec = m.decErrorArcsec = 0.05;
            m.observedMinusComputedRa = orbitRa + m.raErrorArcsec * noise(random);
            m.observedMinusComputedDec = orbitDec + m.decErrorArcsec * noise(random);
            m.rateArcsecPerMin = body.arcsecPerMin;
            m.positionAngleDegrees = body.angleDegrees;
            m.magnitude = 18.0;
            m.magnitudeError = 0.05;
            m.band = "R";
            m.snr = 25.0;
            m.usedStars = 60;
            m.exposureSeconds = 60.0;
            lines.push_back(std::move(m));
        }
    }
    return lines;
}

using Lines = std::vector<MeasurementRecord>;

/// Everything that a report is held against, honest until a mistake is made in it.
struct MadeReport {
    ReportedNight night;
    Recipe recipe;
};

/// Truth: `honest`; lights begin at odd fractions of seconds, bodies are where and as bright as they are predicted.
inline MadeReport madeReport(unsigned seed) {
    MadeReport made;
    made.night.measurements = honest(seed);
    made.recipe.site = ridge();
    made.recipe.head.stationCode = "XXX";
    made.recipe.head.observers = {"I. Vellamo"};
    for (int i = 0; i < kMadeFrames; ++i) {
        LightRecord light;
        light.frame = FrameId(fmt::format("f{}", i));
        light.series = SeriesId("field");
        light.middle = kFirstLight.plusSeconds(400.0 * i);
        light.exposureSeconds = 60.0;
        made.night.lights.push_back(light);
        frame::FrameInfo info;
        info.id = light.frame;
        info.telescope = "Reflector";
        info.camera = "Camera";
        info.site = ridge();
        made.night.frames.push_back(info);
    }
    for (const MeasurementRecord& m : made.night.measurements) {
        if (m.candidate) {
            continue;
        }
        PredictionRecord p;
        p.body = m.body;
        p.title = m.body.text();
        p.frame = m.frame;
        p.time = m.time;
        p.sky = m.sky;
        p.rateArcsecPerMin = m.rateArcsecPerMin;
        p.positionAngleDegrees = m.positionAngleDegrees;
        p.magnitude = 18.2;
        p.sigmaMajorArcsec = 0.2;
        p.sigmaMinorArcsec = 0.1;
        made.night.predictions.push_back(p);
    }
    return made;
}

/// Doubts by the id of their line; but for what is true of the new body of every such report: one night alone.
inline std::map<std::string, std::vector<Doubt>> doubtsOf(const MadeReport& made) {
    std::map<std::string, std::vector<Doubt>> doubts;
    for (const ReportLine& line : reportLines(made.night, made.recipe)) {
        for (const Doubt& doubt : line.doubts) {
            if (doubt.kind != DoubtKind::OneNight) {
                doubts[line.measurement].push_back(doubt);
            }
        }
    }
    return doubts;
}

inline constexpr std::size_t kAll = kMadeFrames * kMadeBodies.size();

inline Lines& linesOf(MadeReport& made) {
    return made.night.measurements;
}

/// As if the clock were so many seconds slow: what is seen is further along than its time says.
inline void delay(MadeReport& made, double seconds) {
    for (auto& m : linesOf(made)) {
        if (!m.candidate) {
            const double along = m.rateArcsecPerMin / 60.0 * seconds;
            const double angle = m.positionAngleDegrees / 180.0 * std::numbers::pi;
            m.observedMinusComputedRa += along * std::sin(angle);
            m.observedMinusComputedDec += along * std::cos(angle);
        }
    }
}

inline void shiftFrame(MadeReport& made, const char* frame, double ra, double dec) {
    for (auto& m : linesOf(made)) {
        if (m.frame == FrameId(frame)) {
            m.observedMinusComputedRa += ra;
            m.observedMinusComputedDec += dec;
        }
    }
}

/// Times, and those of the lights, moved together, as a clock moves them.
inline void moveTimes(MadeReport& made, double seconds) {
    for (auto& m : linesOf(made)) {
        m.time = m.time.plusSeconds(seconds);
    }
    for (auto& light : made.night.lights) {
        light.middle = light.middle.plusSeconds(seconds);
    }
    for (auto& p : made.night.predictions) {
        p.time = p.time.plusSeconds(seconds);
    }
}

/// The lines of the new body.
template <typename Change>
inline void changeNewBody(MadeReport& made, const Change& change) {
    for (auto& m : linesOf(made)) {
        if (m.candidate) {
            change(m);
        }
    }
}

/// A stack of the first body about a frame's time.
inline void addStack(MadeReport& made, int frame, double span) {
    MeasurementRecord m = linesOf(made).front();
    m.id = fmt::format("s{}", frame);
    m.onStack = true;
    m.frame = FrameId();
    m.frames = 4;
    m.time = kFirstLight.plusSeconds(400.0 * frame + 7.0);
    m.spanSeconds = span;
    linesOf(made).push_back(m);
}

inline Sending sentBefore(const MadeReport& made, int line, double shiftArcsec) {
    const MeasurementRecord& m = made.night.measurements[static_cast<std::size_t>(line)];
    Sending sending;
    sending.id = "one";
    sending.at = "2034-03-18T09:00:00.000Z";
    sending.state = SendingState::Taken;
    sending.receipt = "R-1";
    sending.lines.push_back(
        {m.id, m.body.text(), m.time, offsetBy(m.sky, shiftArcsec, 0.0), m.magnitude, false, {}});
    return sending;
}

inline frame::Site awayFrom(const frame::Site& site, double degrees) {
    frame::Site other = site;
    other.longitude = Angle::degrees(site.longitude.degrees() + degrees);
    return other;
}

} // namespace pathmark::night
