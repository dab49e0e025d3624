#include "command/console.h"
#include "command/sky_options.h"
#include "core/base/atomic_file.h"
#include "core/night/sky_tables.h"
#include "core/orbit/determine/bounds.h"
#include "core/orbit/formats/observation_file.h"
#include "core/orbit/formats/orbit_file.h"
#include "core/orbit/formats/orbit_table.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

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
    auto codes = codesFrom(a.lists);
    if (!codes) {
        return codes;
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
        codes->add(site, "own site");
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

/// Those of the rows that `takes` an observation's index.
template <typename Takes>
nlohmann::json residualRows(const orbit::OrbitCase& work,
                            const orbit::OrbitJudgement& judgement,
                            const std::vector<orbit::Residual>& residuals,
                            const Takes& takes) {
    nlohmann::json rows = nlohmann::json::array();
    for (std::size_t i = 0; i < residuals.size(); ++i) {
        const std::size_t source = judgement.sightings[i].source;
        if (takes(source)) {
            rows.push_back(residualRow(work.observations[source], residuals[i]));
        }
    }
    return rows;
}

nlohmann::json fitEntry(const orbit::OrbitFit& fit, nlohmann::json rows) {
    return {{"orbit", nlohmann::json::parse(orbit::toOrbitTable({&fit.elements, 1}))[0]},
            {"observations", rows.size()},
            {"used", fit.orbit.used},
            {"rms_arcsec", fit.orbit.rmsArcsec()},
            {"reduced_chi_square", fit.orbit.reducedChiSquare()},
            {"arc_days", fit.arcDays},
            {"distance_uncertainty", finite(fit.weakness)},
            {"weak", fit.weakness > orbit::kWeakOrbit},
            {"residuals", std::move(rows)}};
}

/// What all orbits that agree with a short arc have in common.
nlohmann::json cloudEntry(const orbit::OrbitCloud& cloud) {
    const orbit::CloudRanges ranges = orbit::rangesOf(cloud);
    const auto pair = [](const orbit::CloudRanges::Range& range) {
        return nlohmann::json{range.least, range.most};
    };
    return {{"orbits", cloud.cells.size()},
            {"least_chi_square", cloud.leastChiSquare},
            {"distance_au", pair(ranges.distanceAu)},
            {"q_au", pair(ranges.perihelionAu)},
            {"e", pair(ranges.eccentricity)},
            {"i_deg", pair(ranges.inclinationDegrees)}};
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
    if (entry.contains("new_mean")) {
        const auto& mean = entry["new_mean"];
        Console::print(fmt::format(
            "Tonight's positions {} the orbit fitted without them: RA {:+.2f} ± {:.2f}\", Dec "
            "{:+.2f} ± {:.2f}\"\n",
            mean["agrees"].get<bool>() ? "agree with" : "disagree with",
            mean["ra_arcsec"].get<double>(),
            mean["ra_error"].get<double>(),
            mean["dec_arcsec"].get<double>(),
            mean["dec_error"].get<double>()));
    }
}

/// One body's observations and what its fit rests on.
struct Work {
    orbit::OrbitCase body;
    night::SkyTables tables;
    orbit::SiteCodes codes;
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
    Work work{{own.observations.front().body, std::move(own.observations), 0, std::nullopt, {}},
              std::move(*tables),
              std::move(*codes)};
    std::erase_if(work.body.observations, [&](const orbit::Observation& o) {
        return std::find(a.without.begin(), a.without.end(), o.line) != a.without.end();
    });
    work.body.old = work.body.observations.size();
    work.body.observations.insert(
        work.body.observations.end(), added.observations.begin(), added.observations.end());
    if (!a.start.empty()) {
        const std::vector<fs::path> files(a.start.begin(), a.start.end());
        auto orbits = orbit::readOrbitFiles(files);
        if (!orbits) {
            return fail(orbits.error());
        }
        for (const auto& e : orbits->orbits) {
            if (e.name == work.body.body) {
                work.body.known = e;
            }
        }
    }
    return work;
}

Result<nlohmann::json> determine(const OrbitArguments& a, std::vector<orbit::Elements>& found) {
    const auto work = gather(a);
    if (!work) {
        return fail(work.error());
    }
    orbit::CorrectionOptions options;
    options.outgassing = a.outgassing;
    options.reject = !a.keepAll;
    const orbit::OrbitCase& body = work->body;
    const auto judgement =
        orbit::judgeOrbit(body, work->tables.planets, work->codes, work->tables.turn, options);
    if (!judgement) {
        return fail(judgement.error());
    }
    for (const Error& error : judgement->leftOut) {
        Console::complain(error);
    }
    nlohmann::json entry{{"orbit", nullptr}};
    if (judgement->fit) {
        found.push_back(judgement->fit->elements);
        entry = fitEntry(
            *judgement->fit,
            residualRows(body, *judgement, judgement->residuals, [](std::size_t) { return true; }));
    }
    entry["body"] = body.body;
    entry["cloud"] = judgement->cloud ? cloudEntry(*judgement->cloud) : nlohmann::json();
    if (judgement->without) {
        const auto isOld = [&](std::size_t source) { return source < body.old; };
        const auto isNew = [&](std::size_t source) { return source >= body.old; };
        entry["without_new"] = fitEntry(
            *judgement->without, residualRows(body, *judgement, judgement->newAgainstOld, isOld));
        if (const auto t = orbit::tonightOf(*judgement, body, work->tables.planets)) {
            entry["new_mean"] = {{"ra_arcsec", t->raMean},
                                 {"ra_error", std::hypot(t->raError, t->orbitRaArcsec)},
                                 {"dec_arcsec", t->decMean},
                                 {"dec_error", std::hypot(t->decError, t->orbitDecArcsec)},
                                 {"agrees", t->agrees()}};
        }
        entry["new_against_old"] = residualRows(body, *judgement, judgement->newAgainstOld, isNew);
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
