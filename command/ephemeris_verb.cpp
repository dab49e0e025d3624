#include "command/console.h"
#include "core/night/data_files.h"
#include "core/orbit/place/ephemeris.h"
#include "core/orbit/formats/orbit_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <fstream>
#include <memory>

namespace pathmark::command {
namespace {

struct EphemerisArguments {
    Console console;
    std::vector<std::string> orbits;
    std::string body;
    std::vector<double> site;
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
    auto from = parseUtc(a.from);
    auto to = parseUtc(a.to);
    if (!from || !to || !(a.stepSeconds > 0.0)) {
        return fail(ErrorId::BaseBadTime, "Give --times FILE, or --from T --to T --step SECONDS.");
    }
    const double span = to->secondsSince(*from);
    for (int i = 0; i * a.stepSeconds <= span + 1e-6; ++i) {
        times.push_back(from->plusSeconds(i * a.stepSeconds));
    }
    return times;
}

nlohmann::json rowOf(const orbit::Place& p) {
    return {{"time", toIso(p.time)},
            {"ra", p.sky.longitude.degrees()},
            {"dec", p.sky.latitude.degrees()},
            {"rate_arcsec_per_min", p.rateArcsecPerMin()},
            {"position_angle_deg", p.positionAngle().degrees()},
            {"mag", p.magnitude ? finite(*p.magnitude) : nlohmann::json()},
            {"r_au", p.sunDistanceAu},
            {"delta_au", p.distanceAu},
            {"phase_deg", p.phase.degrees()},
            {"elongation_deg", p.elongation.degrees()},
            {"sigma_major_arcsec", nullptr},
            {"sigma_minor_arcsec", nullptr},
            {"sigma_pa_deg", nullptr}};
}

Result<nlohmann::json> rows(const EphemerisArguments& a, const orbit::Elements& body) {
    auto times = timesOf(a);
    if (!times) {
        return fail(times.error());
    }
    auto planets = orbit::Planets::open(night::dataFile("planets-1995-2055.bsp"));
    if (!planets) {
        return fail(planets.error());
    }
    const frame::Site site = geodeticSite(a.site);
    nlohmann::json list = nlohmann::json::array();
    for (const Utc& time : *times) {
        auto place = orbit::placeAt(body, *planets, site, time);
        if (!place) {
            return fail(place.error());
        }
        list.push_back(rowOf(*place));
    }
    return list;
}

int ephemeris(const EphemerisArguments& a) {
    const std::vector<std::filesystem::path> files(a.orbits.begin(), a.orbits.end());
    auto orbits = orbit::readOrbitFiles(files);
    if (!orbits) {
        Console::complain(orbits.error());
        return kSomeFailed;
    }
    for (const Error& error : orbits->badLines) {
        Console::complain(error);
    }
    const auto body =
        std::find_if(orbits->orbits.begin(), orbits->orbits.end(), [&](const auto& e) {
            return e.name == a.body || e.name == "(" + a.body + ")" || e.packed == a.body;
        });
    if (body == orbits->orbits.end()) {
        Console::complain(
            {ErrorId::OrbitUnknownBody, "No orbit file given has this body.", a.body});
        return kSomeFailed;
    }
    auto list = rows(a, *body);
    if (!list) {
        Console::complain(list.error());
        return list.error().id == ErrorId::BaseBadTime ? kWrongUse : kSomeFailed;
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
    verb->add_option(
            "--site-geodetic", a->site, "Longitude and latitude in degrees, altitude in metres")
        ->expected(3)
        ->required();
    verb->add_option("--times", a->timesFile, "File with one ISO UTC time a line");
    verb->add_option("--from", a->from, "First time");
    verb->add_option("--to", a->to, "Last time");
    verb->add_option("--step", a->stepSeconds, "Seconds between times");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return ephemeris(*a); }; });
}

} // namespace pathmark::command
