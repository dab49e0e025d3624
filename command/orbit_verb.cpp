#include "command/console.h"
#include "core/base/atomic_file.h"
#include "core/night/sky_tables.h"
#include "core/orbit/determine/determine.h"
#include "core/orbit/determine/ranging.h"
#include "core/orbit/formats/observation_file.h"
#include "core/orbit/formats/orbit_file.h"
#include "core/orbit/formats/orbit_table.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <limits>
#include <map>
#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

/// Beyond this share of the distance from the Sun one orbit does not stand for all that agree.
constexpr double kWeak = 0.1;

struct OrbitArguments {
    Console console;
    std::vector<std::string> files;
    std::vector<std::string> newFiles;
    std::vector<std::string> start;
    std::string body;
    std::vector<std::string> lists;
    std::vector<std::string> places; ///< CODE LON LAT ALT_M, four words each
    std::vector<std::string> kernels;
    std::string earthOrientation;
    std::vector<int> without;
    bool outgassing = false;
    bool keepAll = false;
    std::string out;
};

Result<orbit::SiteCodes> codesOf(const OrbitArguments& a) {
    orbit::SiteCodes codes;
    for (const std::string& list : a.lists) {
        if (auto read = codes.read(list); !read) {
            return fail(read.error());
        }
    }
    for (std::size_t i = 0; i + 3 < a.places.size(); i += 4) {
        frame::Site site;
        site.code = a.places[i];
        double values[3];
        for (std::size_t k = 0; k < 3; ++k) {
            try {
                values[k] = std::stod(a.places[i + 1 + k]);
            } catch (const std::exception&) {
                return fail(ErrorId::OrbitUnknownSite,
                            "--place needs CODE LON LAT ALT_M, three numbers after the code.",
                            a.places[i]);
            }
        }
        site.longitude = Angle::degrees(values[0]);
        site.latitude = Angle::degrees(values[1]);
        site.altitudeMetres = values[2];
        codes.add(site, "own site");
    }
    return codes;
}

/// The observations of all files in one list; `fresh` counts from where tonight's begin.
Result<orbit::ObservationList> readAll(const std::vector<std::string>& files) {
    orbit::ObservationList all;
    for (const std::string& file : files) {
        auto list = orbit::readObservationFile(file);
        if (!list) {
            return list;
        }
        all.observations.insert(
            all.observations.end(), list->observations.begin(), list->observations.end());
        for (const Error& error : list->badLines) {
            Console::complain(error);
        }
        all.radar += list->radar;
        all.replaced += list->replaced;
    }
    return all;
}

nlohmann::json residualRow(const orbit::Observation& o, const orbit::Residual& r) {
    return {{"time", toIso(o.time)},
            {"station", o.station},
            {"line", o.line},
            {"ra_arcsec", r.xiArcsec},
            {"dec_arcsec", r.etaArcsec},
            {"chi_square", r.chiSquare},
            {"used", r.used}};
}

nlohmann::json fitEntry(const orbit::OrbitFit& fit,
                        const std::vector<orbit::Observation>& observations,
                        const std::vector<orbit::Sighting>& sightings) {
    nlohmann::json rows = nlohmann::json::array();
    for (std::size_t i = 0; i < sightings.size(); ++i) {
        rows.push_back(residualRow(observations[sightings[i].source], fit.orbit.residuals[i]));
    }
    return {{"orbit", nlohmann::json::parse(orbit::toOrbitTable({&fit.elements, 1}))[0]},
            {"observations", sightings.size()},
            {"used", fit.orbit.used},
            {"rms_arcsec", fit.orbit.rmsArcsec()},
            {"reduced_chi_square", fit.orbit.reducedChiSquare()},
            {"arc_days", fit.arcDays},
            {"distance_uncertainty", finite(fit.weakness)},
            {"weak", fit.weakness > kWeak},
            {"residuals", rows}};
}

/// What all orbits that agree with a short arc have in common.
nlohmann::json cloudEntry(const orbit::OrbitCloud& cloud) {
    struct Range {
        double low = std::numeric_limits<double>::infinity();
        double high = -std::numeric_limits<double>::infinity();

        void take(double value) {
            low = std::min(low, value);
            high = std::max(high, value);
        }
    };

    std::map<std::string, Range> ranges;
    for (const auto& cell : cloud.cells) {
        const orbit::Elements e = orbit::elementsOf(cell.state, cloud.epoch);
        ranges["distance_au"].take(cell.distanceAu);
        ranges["q_au"].take(e.perihelionAu);
        ranges["e"].take(e.eccentricity);
        ranges["i_deg"].take(e.inclination.degrees());
    }
    nlohmann::json entry{{"orbits", cloud.cells.size()},
                         {"least_chi_square", cloud.leastChiSquare}};
    for (const auto& [name, range] : ranges) {
        entry[name] = {range.low, range.high};
    }
    return entry;
}

void printCloud(const nlohmann::json& cloud) {
    const auto range = [&](const char* name) {
        return fmt::format(
            "{:.4g} to {:.4g}", cloud[name][0].get<double>(), cloud[name][1].get<double>());
    };
    Console::print(fmt::format("The arc is short; many orbits agree with it: distance {} au, q {} "
                               "au, e {}, i {} degrees\n",
                               range("distance_au"),
                               range("q_au"),
                               range("e"),
                               range("i_deg")));
}

void printFit(const nlohmann::json& entry) {
    if (entry["orbit"].is_null()) {
        return;
    }
    const auto& o = entry["orbit"];
    Console::print(fmt::format("{}  q {:.6f} au  e {:.6f}  i {:.5f}  node {:.5f}  peri {:.5f}\n",
                               o["name"].get<std::string>(),
                               o["q_au"].get<double>(),
                               o["e"].get<double>(),
                               o["i_deg"].get<double>(),
                               o["node_deg"].get<double>(),
                               o["peri_deg"].get<double>()));
    Console::print(
        fmt::format("{} of {} places over {:.2f} days, rms {:.2f}\", chi-square {:.2f}\n",
                    entry["used"].get<int>(),
                    entry["observations"].get<int>(),
                    entry["arc_days"].get<double>(),
                    entry["rms_arcsec"].get<double>(),
                    entry["reduced_chi_square"].get<double>()));
    for (const auto& row : entry["residuals"]) {
        Console::print(fmt::format("{}  {:<4} {:+8.2f} {:+8.2f}{}\n",
                                   row["time"].get<std::string>(),
                                   row["station"].get<std::string>(),
                                   row["ra_arcsec"].get<double>(),
                                   row["dec_arcsec"].get<double>(),
                                   row["used"].get<bool>() ? "" : "  left out"));
    }
}

/// Everything the fits of one body share.
struct Work {
    std::string body;
    std::vector<orbit::Observation> observations;
    std::size_t old = 0; ///< those before tonight's
    night::SkyTables tables;
    orbit::SiteCodes codes;
    std::optional<orbit::Elements> known;
};

Result<Work> gather(const OrbitArguments& a) {
    auto old = readAll(a.files);
    if (!old) {
        return fail(old.error());
    }
    auto fresh = readAll(a.newFiles);
    if (!fresh) {
        return fail(fresh.error());
    }
    const auto bodies = orbit::bodiesOf(*old);
    if (a.body.empty() && bodies.size() != 1) {
        return fail(ErrorId::OrbitUnknownBody,
                    fmt::format("The files hold observations of {} bodies; say which with --body.",
                                bodies.size()));
    }
    const std::string body = a.body.empty() ? bodies.front() : a.body;
    auto codes = codesOf(a);
    auto tables = night::openSkyTables({{a.kernels.begin(), a.kernels.end()}, a.earthOrientation});
    if (!codes || !tables) {
        return fail(codes ? tables.error() : codes.error());
    }
    auto own = orbit::observationsOf(*old, body);
    auto added = orbit::observationsOf(*fresh, body);
    if (own.observations.empty()) {
        return fail(ErrorId::OrbitUnknownBody, "The files hold no observation of this body.", body);
    }
    if (own.duplicates > 0) {
        a.console.say(fmt::format("{} observations stand in the files twice; they count once.",
                                  own.duplicates));
    }
    Work work{own.observations.front().body,
              std::move(own.observations),
              0,
              std::move(*tables),
              std::move(*codes),
              std::nullopt};
    std::erase_if(work.observations, [&](const orbit::Observation& o) {
        return std::find(a.without.begin(), a.without.end(), o.line) != a.without.end();
    });
    work.old = work.observations.size();
    work.observations.insert(
        work.observations.end(), added.observations.begin(), added.observations.end());
    if (!a.start.empty()) {
        const std::vector<fs::path> files(a.start.begin(), a.start.end());
        auto orbits = orbit::readOrbitFiles(files);
        if (!orbits) {
            return fail(orbits.error());
        }
        for (const auto& e : orbits->orbits) {
            if (e.name == work.body) {
                work.known = e;
            }
        }
    }
    return work;
}

Result<orbit::OrbitFit>
fitOne(const OrbitArguments& a, const Work& work, const std::vector<orbit::Sighting>& sightings) {
    orbit::CorrectionOptions options;
    options.outgassing = a.outgassing;
    options.reject = !a.keepAll;
    if (work.known) {
        return orbit::improveOrbit(*work.known, sightings, work.tables.planets, options);
    }
    return orbit::determineOrbit(sightings, work.tables.planets, work.body, options);
}

/// Tonight's positions against the orbit without them.
Result<nlohmann::json> tonightAgainst(const Work& work,
                                      const orbit::OrbitFit& before,
                                      const std::vector<orbit::Sighting>& sightings) {
    const auto residuals =
        orbit::residualsOf(before.orbit.state,
                           before.orbit.epoch,
                           sightings,
                           orbit::Forces(work.tables.planets, work.body, before.orbit.outgassing));
    if (!residuals) {
        return fail(residuals.error());
    }
    nlohmann::json rows = nlohmann::json::array();
    for (std::size_t i = 0; i < sightings.size(); ++i) {
        if (sightings[i].source >= work.old) {
            rows.push_back(residualRow(work.observations[sightings[i].source], (*residuals)[i]));
        }
    }
    return rows;
}

Result<nlohmann::json> determine(const OrbitArguments& a, std::vector<orbit::Elements>& found) {
    auto work = gather(a);
    if (!work) {
        return fail(work.error());
    }
    const auto list = orbit::makeSightings(
        work->observations, work->tables.planets, work->codes, work->tables.turn);
    for (const Error& error : list.leftOut) {
        Console::complain(error);
    }
    if (list.sightings.size() < 3) {
        return fail(
            ErrorId::OrbitTooFewObservations,
            fmt::format("An orbit needs three places on the sky; there are {} that can be used.",
                        list.sightings.size()),
            work->body);
    }
    auto fit = fitOne(a, *work, list.sightings);
    nlohmann::json cloudPart;
    if (!fit || fit->weakness > kWeak) {
        if (const auto cloud = orbit::rangeSystematically(list.sightings)) {
            cloudPart = cloudEntry(*cloud);
        }
    }
    if (!fit) {
        const double seconds =
            list.sightings.back().observer.utc.secondsSince(list.sightings.front().observer.utc);
        if (cloudPart.is_null() || seconds > 3.0 * kSecondsPerDay) {
            return fail(fit.error());
        }
        return nlohmann::json{{"body", work->body}, {"orbit", nullptr}, {"cloud", cloudPart}};
    }
    found.push_back(fit->elements);
    nlohmann::json entry = fitEntry(*fit, work->observations, list.sightings);
    entry["body"] = work->body;
    entry["cloud"] = cloudPart;
    if (work->old < work->observations.size()) {
        std::vector<orbit::Sighting> before;
        std::copy_if(list.sightings.begin(),
                     list.sightings.end(),
                     std::back_inserter(before),
                     [&](const orbit::Sighting& s) { return s.source < work->old; });
        if (auto without = before.size() < 3 ? fail(ErrorId::OrbitTooFewObservations, "")
                                             : fitOne(a, *work, before)) {
            auto rows = tonightAgainst(*work, *without, list.sightings);
            if (!rows) {
                return fail(rows.error());
            }
            entry["without_new"] = fitEntry(*without, work->observations, before);
            entry["new_against_old"] = *rows;
        }
    }
    return entry;
}

int orbitOf(const OrbitArguments& a) {
    std::vector<orbit::Elements> found;
    auto entry = determine(a, found);
    if (!entry) {
        Console::complain(entry.error());
        return kSomeFailed;
    }
    if (!a.out.empty()) {
        if (auto written = writeWholeText(a.out, orbit::toOrbitTable(found)); !written) {
            Console::complain(written.error());
            return kSomeFailed;
        }
    }
    if (a.console.json) {
        Console::print(*entry);
    } else {
        printFit(*entry);
        if (!(*entry)["cloud"].is_null()) {
            printCloud((*entry)["cloud"]);
        }
    }
    return kDone;
}

} // namespace

void addOrbitVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<OrbitArguments>();
    CLI::App* verb = program.add_subcommand("orbit", "Find or improve the orbit of a body");
    verb->add_option("files", a->files, "Observations: MPC 80-column, ADES PSV or XML")->required();
    verb->add_option("--new", a->newFiles, "Tonight's: also judged against the orbit without them");
    verb->add_option("--body", a->body, "Designation, where the files hold several bodies");
    verb->add_option("--orbits", a->start, "Orbit files: start from the known orbit");
    verb->add_option("--sites", a->lists, "Lists of observatory codes");
    verb->add_option("--place", a->places, "A site: CODE LON LAT ALT_M (degrees, metres)")
        ->type_size(4)
        ->expected(-1);
    verb->add_option("--planets", a->kernels, "SPK kernels in place of the one that ships");
    verb->add_option("--earth-orientation", a->earthOrientation, "Table of UT1-UTC and the pole");
    verb->add_option("--without", a->without, "Lines of the files to leave out");
    verb->add_flag("--outgassing", a->outgassing, "Fit A1 and A2 too");
    verb->add_flag("--keep-all", a->keepAll, "Leave no observation out");
    verb->add_option(
        "--out", a->out, "Write the orbit, with its covariance, as a full-precision table");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return orbitOf(*a); }; });
}

} // namespace pathmark::command
