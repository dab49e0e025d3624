#include "command/body_choice.h"
#include "core/orbit/place/ephemeris.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <memory>

namespace pathmark::command {
namespace {

struct EphemerisArguments {
    Console console;
    std::vector<std::string> orbits;
    std::string body;
    SkyOptions sky;
    std::string timesFile;
    std::string from;
    std::string to;
    double stepSeconds = 3600.0;
};

Result<std::vector<Utc>> timesOf(const EphemerisArguments& a) {
    std::vector<Utc> times;
    if (!a.timesFile.empty()) {
        std::ifstream stream(a.timesFile);
        if (!stream) {
            return fail(ErrorId::BaseBadTime, "The file of times cannot be opened.", a.timesFile);
        }
        std::string line;
        while (std::getline(stream, line)) {
            if (line.find_first_not_of(" \t\r") == std::string::npos) {
                continue;
            }
            auto time = parseUtc(line);
            if (!time) {
                return fail(ErrorId::BaseBadTime, time.error().detail, a.timesFile);
            }
            times.push_back(*time);
        }
        return times;
    }
    if (a.from.empty() || a.to.empty()) {
        return fail(ErrorId::BaseBadTime, "Give --times FILE, or --from T --to T --step SECONDS.");
    }
    auto from = parseUtc(a.from);
    auto to = parseUtc(a.to);
    if (!from || !to) {
        return fail(ErrorId::BaseBadTime,
                    from ? "--to: " + to.error().detail : "--from: " + from.error().detail);
    }
    if (!(a.stepSeconds > 0.0) || !std::isfinite(a.stepSeconds)) {
        return fail(ErrorId::BaseBadTime,
                    fmt::format("--step {:g} must be a number of seconds above 0.", a.stepSeconds));
    }
    const double span = to->secondsSince(*from);
    if (span < 0.0) {
        return fail(ErrorId::BaseBadTime,
                    fmt::format("--to {} is before --from {}.", a.to, a.from));
    }
    constexpr double most = 1e7;
    if (span / a.stepSeconds > most) {
        return fail(ErrorId::BaseBadTime,
                    "These are more than ten million times; take a longer --step.");
    }
    for (int i = 0; i * a.stepSeconds <= span + 1e-6; ++i) {
        times.push_back(from->plusSeconds(i * a.stepSeconds));
    }
    return times;
}

nlohmann::json rowOf(const orbit::Place& p) {
    nlohmann::json row{{"time", toIso(p.time)},
                       {"ra", p.sky.longitude.degrees()},
                       {"dec", p.sky.latitude.degrees()},
                       {"rate_arcsec_per_min", p.rateArcsecPerMin()},
                       {"position_angle_deg", p.positionAngle().degrees()},
                       {"mag", finite(p.magnitude)},
                       {"r_au", p.sunDistanceAu},
                       {"delta_au", p.distanceAu},
                       {"phase_deg", p.phase.degrees()},
                       {"elongation_deg", p.elongation.degrees()},
                       {"sigma_major_arcsec", nullptr},
                       {"sigma_minor_arcsec", nullptr},
                       {"sigma_pa_deg", nullptr}};
    if (p.uncertainty) {
        row["sigma_major_arcsec"] = finite(p.uncertainty->major.arcsec());
        row["sigma_minor_arcsec"] = finite(p.uncertainty->minor.arcsec());
        row["sigma_pa_deg"] = finite(p.uncertainty->positionAngle.degrees());
    }
    return row;
}

/// An orbit without an uncertainty of its own grows old: said once, with what its file tells of it.
void warnOfAge(const EphemerisArguments& a, const orbit::Elements& body, const Utc& last) {
    const double years = std::abs(toTdb(last).secondsSince(body.epoch)) / (365.25 * kSecondsPerDay);
    if (years < 2.0 || body.covariance) {
        return;
    }
    std::string words =
        fmt::format("{}: the elements are of an epoch {:.0f} years away and carry no uncertainty",
                    body.name,
                    years);
    if (body.runoffArcsecPerDecade) {
        words += fmt::format("; by their stated runoff the place may be {:.0f}\" off",
                             *body.runoffArcsecPerDecade * years / 10.0);
    }
    a.console.say(words + ".");
}

Result<nlohmann::json> rows(const EphemerisArguments& a, const orbit::Elements& body) {
    auto times = timesOf(a);
    auto site = siteOf(a.sky);
    auto tables = tablesOf(a.sky);
    if (!times || !site || !tables) {
        return fail(!times ? times.error() : !site ? site.error() : tables.error());
    }
    nlohmann::json list = nlohmann::json::array();
    if (times->empty()) {
        return list;
    }
    const auto [first, last] = std::minmax_element(times->begin(), times->end());
    auto motion = orbit::Ephemeris::make(body, tables->planets, *first, *last);
    if (!motion) {
        return fail(motion.error());
    }
    if (const auto warning = night::leapSecondWarning(*last)) {
        a.console.say(*warning);
    }
    warnOfAge(a, body, *last);
    for (const Utc& time : *times) {
        auto observer = orbit::observerAt(tables->planets, *site, time, tables->turn);
        if (!observer) {
            return fail(observer.error());
        }
        list.push_back(rowOf(motion->at(*observer)));
    }
    return list;
}

int ephemeris(const EphemerisArguments& a) {
    const auto body = bodyFrom(a.orbits, a.body);
    if (!body) {
        Console::complain(body.error());
        return kSomeFailed;
    }
    auto list = rows(a, *body);
    if (!list) {
        Console::complain(list.error());
        const bool wrongUse = list.error().id == ErrorId::BaseBadTime ||
                              (list.error().id == ErrorId::OrbitUnknownSite && a.sky.code.empty());
        return wrongUse ? kWrongUse : kSomeFailed;
    }
    if (a.console.json) {
        Console::print({{"body", body->name}, {"rows", *list}});
        return kDone;
    }
    for (const auto& row : *list) {
        Console::print(fmt::format("{}  {:11.6f} {:+11.6f}  {:7.3f}\"/min at {:5.1f}\n",
                                   row["time"].get<std::string>(),
                                   row["ra"].get<double>(),
                                   row["dec"].get<double>(),
                                   row["rate_arcsec_per_min"].get<double>(),
                                   row["position_angle_deg"].get<double>()));
    }
    return kDone;
}

} // namespace

void addEphemerisVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<EphemerisArguments>();
    CLI::App* verb = program.add_subcommand("ephemeris", "Where a body stands");
    verb->add_option("--orbits", a->orbits, "Orbit files")->required();
    verb->add_option("--body", a->body, "Designation")->required();
    addSkyOptions(*verb, a->sky);
    verb->add_option("--times", a->timesFile, "File with one ISO UTC time a line");
    verb->add_option("--from", a->from, "First time");
    verb->add_option("--to", a->to, "Last time");
    verb->add_option("--step", a->stepSeconds, "Seconds between times");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return ephemeris(*a); }; });
}

} // namespace pathmark::command
