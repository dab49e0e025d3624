#include "command/console.h"
#include "command/open_night.h"
#include "core/night/report/new_body.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

using nlohmann::json;

struct CandidateArguments {
    Console console;
    std::string nightFile;
    std::string name;
    std::string from;
    double hours = 24.0;
    double step = 1.0;
};

json comingJson(const night::NewBodyLook& look) {
    json rows = json::array();
    for (const night::ComingPlace& place : look.coming) {
        const orbit::MotionBounds& b = place.bounds;
        rows.push_back({{"time", toIso(b.time)},
                        {"ra", b.sky.longitude.degrees()},
                        {"dec", b.sky.latitude.degrees()},
                        {"sigma_major_arcsec", finite(b.place.major.arcsec())},
                        {"sigma_minor_arcsec", finite(b.place.minor.arcsec())},
                        {"rate_arcsec_per_min", finite(b.rateArcsecPerMin)},
                        {"position_angle_deg", b.positionAngle.degrees()},
                        {"height_deg", place.height.degrees()},
                        {"sun_height_deg", place.sunHeight.degrees()}});
    }
    return rows;
}

json rangeJson(const orbit::CloudRanges::Range& range) {
    return json::array({finite(range.least), finite(range.most)});
}

/// The one orbit that stands for all, where there is one.
json orbitJson(const night::NewBodyLook& look) {
    if (!look.fit || !look.errors) {
        return nullptr;
    }
    const orbit::Elements& e = look.fit->elements;
    return {{"q_au", finite(e.perihelionAu)},
            {"q_error_au", finite(look.errors->perihelionAu)},
            {"e", finite(e.eccentricity)},
            {"e_error", finite(look.errors->eccentricity)},
            {"i_deg", e.inclination.degrees()},
            {"i_error_deg", finite(look.errors->inclination.degrees())}};
}

json lookJson(const night::NewBodyLook& look) {
    json cloud = nullptr;
    if (look.ranges) {
        cloud = {{"orbits", look.orbits},
                 {"distance_au", rangeJson(look.ranges->distanceAu)},
                 {"q_au", rangeJson(look.ranges->perihelionAu)},
                 {"e", rangeJson(look.ranges->eccentricity)},
                 {"i_deg", rangeJson(look.ranges->inclinationDegrees)}};
    }
    return {{"name", look.name},
            {"lines", look.lines},
            {"arc_hours", look.arcHours},
            {"time", toIso(look.at)},
            {"ra", look.sky.longitude.degrees()},
            {"dec", look.sky.latitude.degrees()},
            {"rate_arcsec_per_min", look.rateArcsecPerMin},
            {"position_angle_deg", look.positionAngleDegrees},
            {"mag", finite(look.magnitude)},
            {"from_sun_deg", look.fromSun.degrees()},
            {"cloud", cloud},
            {"orbit", orbitJson(look)},
            {"may_be", look.known},
            {"known_in_frames", look.knownInFrames},
            {"coming", comingJson(look)}};
}

int candidate(const CandidateArguments& a) {
    int status = kDone;
    auto file = openNight(a.nightFile, status);
    if (!file) {
        return status;
    }
    const auto complain = [](const Error& error) {
        Console::complain(error);
        return error.id == ErrorId::NightUnknownId || error.id == ErrorId::BaseBadTime
                   ? kWrongUse
                   : kSomeFailed;
    };
    const Job job = a.console.job();
    const auto night = night::reportedOf(*file);
    const auto sources = night ? night::readOrbitSources(file->recipe(), job) : fail(night.error());
    if (!sources) {
        return complain(sources.error());
    }
    night::ComingHours hours{{}, a.hours, a.step};
    if (a.from.empty()) {
        for (const night::LightRecord& light : night->lights) {
            hours.from = hours.from < light.middle ? light.middle : hours.from;
        }
    } else {
        const auto time = parseUtc(a.from);
        if (!time) {
            return complain(time.error());
        }
        hours.from = *time;
    }
    const auto look =
        night::lookAtNewBody(*sources, *night, night::BodyId::of(a.name), hours, job.stop);
    if (!look) {
        return complain(look.error());
    }
    if (a.console.json) {
        Console::print(lookJson(*look));
        return kDone;
    }
    a.console.say(fmt::format(
        "{}: {} lines over {:.1f} hours, {:.2f}\"/min towards {:.0f} deg, "
        "{:.0f} deg from the Sun. {}",
        look->name,
        look->lines,
        look->arcHours,
        look->rateArcsecPerMin,
        look->positionAngleDegrees,
        look->fromSun.degrees(),
        look->known.empty()
            ? fmt::format("It is none of the {} known bodies in its frames.", look->knownInFrames)
            : look->known));
    Console::print(night::comingText(*look));
    return kDone;
}

} // namespace

void addCandidateVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<CandidateArguments>();
    CLI::App* verb = program.add_subcommand(
        "candidate",
        "What is known of something new: its motion, the orbits that agree, where it will be");
    verb->add_option("night", a->nightFile, "The night file")->required();
    verb->add_option("name", a->name, "The candidate")->required();
    verb->add_option(
        "--from", a->from, "When the coming places begin; by default with the last frame");
    verb->add_option("--hours", a->hours, "How far they go")->check(CLI::PositiveNumber);
    verb->add_option("--step", a->step, "Hours from one to the next")->check(CLI::PositiveNumber);
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return candidate(*a); }; });
}

} // namespace pathmark::command
