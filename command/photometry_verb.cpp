#include "command/body_choice.h"
#include "command/frame_input.h"
#include "core/night/comparison_set.h"
#include "core/night/curve_files.h"
#include "core/night/light_curves.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

struct PhotometryArguments {
    Console console;
    FrameArguments input;
    std::string wcsFolder;
    std::string store;
    std::string catalogName;
    std::vector<std::string> bodies;
    std::vector<std::string> orbits;
    std::vector<double> at; ///< RA and Dec in degrees, any number of pairs
    SkyOptions sky;
    std::string set;
    std::string saveSet;
    std::string band;
    std::vector<double> periodHours;
    double apertureArcsec = 0.0; ///< 0: not in circles of such a radius; so for the next
    double apertureFwhm = 0.0;
    bool bestAperture = false;
    std::string csv;
    std::string alcdef;
    std::string votable;
};

std::string objectionTo(const PhotometryArguments& a) {
    if (a.at.size() % 2 != 0) {
        return "--at takes RA and Dec in degrees.";
    }
    for (std::size_t i = 0; i + 1 < a.at.size(); i += 2) {
        if (!isPlace(a.at[i], a.at[i + 1])) {
            return fmt::format("--at {:g} {:g} is no place of the sky.", a.at[i], a.at[i + 1]);
        }
    }
    const std::string first = a.bodies.empty() ? std::string() : a.bodies.front();
    if (std::string objection = command::objectionTo(BodyArguments{first, a.orbits, a.sky});
        !objection.empty()) {
        return objection;
    }
    if (!a.band.empty() && !catalog::bandNamed(a.band)) {
        return fmt::format("--band {} is none that follows from the catalogue.", a.band);
    }
    if (a.periodHours.size() == 2 &&
        !(a.periodHours[0] > 0.0 && a.periodHours[1] >= a.periodHours[0])) {
        return fmt::format("--period {:g} {:g} must be the least and the greatest, in hours.",
                           a.periodHours[0],
                           a.periodHours[1]);
    }
    return {};
}

Result<night::CurveRequest> requestOf(const PhotometryArguments& a, const FrameInput& input) {
    night::CurveRequest request;
    request.files = input.list.files;
    request.wcsFolder = a.wcsFolder;
    request.rules = input.rules;
    for (const std::string& name : a.bodies) {
        auto elements = bodyFrom(a.orbits, name);
        if (!elements) {
            return fail(elements.error());
        }
        request.targets.push_back({elements->name, std::move(*elements), {}});
    }
    for (std::size_t i = 0; i + 1 < a.at.size(); i += 2) {
        request.targets.push_back({fmt::format("{:.5f}{:+.5f}", a.at[i], a.at[i + 1]),
                                   std::nullopt,
                                   skyDegrees(a.at[i], a.at[i + 1])});
    }
    if (!a.set.empty()) {
        auto set = night::readSet(a.set);
        if (!set) {
            return fail(set.error());
        }
        request.choice.set = std::move(set->stars);
        for (const night::SetStar& target : set->targets) {
            request.targets.push_back({target.name, std::nullopt, target.place});
        }
    }
    using Kind = night::MeasurableFile::LightMethod::Kind;
    if (a.bestAperture) {
        request.method = {Kind::Best, 0.0};
    } else if (a.apertureArcsec > 0.0) {
        request.method = {Kind::Arcsec, a.apertureArcsec};
    } else if (a.apertureFwhm > 0.0) {
        request.method = {Kind::Widths, a.apertureFwhm};
    }
    if (!a.band.empty()) {
        request.band = catalog::bandNamed(a.band);
    }
    if (a.periodHours.size() == 2) {
        request.choice.period =
            measure::PeriodRange{a.periodHours[0] / 24.0, a.periodHours[1] / 24.0};
    }
    if (!a.sky.code.empty() || !a.sky.geodetic.empty()) {
        auto site = siteOf(a.sky);
        if (!site) {
            return fail(site.error());
        }
        request.site = *site;
    }
    return request;
}

nlohmann::json targetJson(const night::TargetCurve& curve) {
    nlohmann::json points = nlohmann::json::array();
    for (const auto& point : curve.points) {
        points.push_back({{"file", point.file.string()},
                          {"mid_time", toIso(point.time)},
                          {"bjd_tdb", point.bjdTdb},
                          {"mag", finite(point.mag)},
                          {"mag_err", point.mag ? finite(point.magError) : nlohmann::json()},
                          {"reduced_mag", finite(point.reducedMag)},
                          {"snr", point.snr},
                          {"flags", point.flags}});
    }
    nlohmann::json entry{{"name", curve.name},
                         {"points", points},
                         {"period_h", nullptr},
                         {"period_err_h", nullptr},
                         {"amplitude_mag", nullptr},
                         {"amplitude_err_mag", nullptr},
                         {"false_alarm_log10", nullptr}};
    if (const auto& period = curve.period) {
        entry["period_h"] = 24.0 * period->days;
        entry["period_err_h"] = finite(24.0 * period->error);
        entry["amplitude_mag"] = period->amplitude;
        entry["amplitude_err_mag"] = finite(period->amplitudeError);
        entry["false_alarm_log10"] = finite(period->falseAlarmLog10);
    }
    return entry;
}

nlohmann::json starJson(const night::FieldStar& star) {
    return {{"source_id", std::to_string(star.star.sourceId)},
            {"ra", star.star.place.longitude.degrees()},
            {"dec", star.star.place.latitude.degrees()},
            {"mag", finite(star.scatter.mag)},
            {"rms_mag", finite(star.scatter.rms)},
            {"expected_rms_mag", finite(star.scatter.expectedRms)}};
}

nlohmann::json bandJson(const night::BandCurves& band) {
    nlohmann::json targets = nlohmann::json::array();
    for (const auto& curve : band.targets) {
        targets.push_back(targetJson(curve));
    }
    nlohmann::json comparison = nlohmann::json::array();
    nlohmann::json stars = nlohmann::json::array();
    for (const auto& star : band.stars) {
        if (star.scatter.points == 0) {
            continue;
        }
        nlohmann::json entry = starJson(star);
        if (star.scatter.used) {
            comparison.push_back(entry);
            comparison.back()["used"] = true;
        }
        entry["variable"] = star.variable;
        entry["flags"] = star.flags;
        stars.push_back(std::move(entry));
    }
    nlohmann::json zeroPoints = nlohmann::json::array();
    for (const auto& frame : band.frames) {
        zeroPoints.push_back({{"file", frame.file.string()},
                              {"zero_point", finite(frame.zeroPoint)},
                              {"error", finite(frame.error)},
                              {"extinction", finite(frame.extinction)}});
    }
    nlohmann::json document{{"band", std::string(catalog::name(band.band))},
                            {"frames", band.frames.size()},
                            {"targets", targets},
                            {"comparison", comparison},
                            {"check", nullptr},
                            {"stars", stars},
                            {"zero_points", zeroPoints}};
    if (band.check) {
        const auto& star = band.stars[*band.check];
        document["check"] = {{"source_id", std::to_string(star.star.sourceId)},
                             {"mag", finite(star.scatter.mag)},
                             {"rms_mag", finite(star.scatter.rms)}};
    }
    return document;
}

void say(const Console& console, const night::BandCurves& band) {
    std::size_t used = 0;
    std::size_t variable = 0;
    for (const auto& star : band.stars) {
        used += star.scatter.used ? 1 : 0;
        variable += star.variable ? 1 : 0;
    }
    console.say(fmt::format("{}: {} frames, {} comparison stars, {} variable stars",
                            catalog::name(band.band),
                            band.frames.size(),
                            used,
                            variable));
    for (const auto& curve : band.targets) {
        const auto good = std::count_if(curve.points.begin(),
                                        curve.points.end(),
                                        [](const auto& p) { return p.mag && p.flags.empty(); });
        console.say(
            curve.period
                ? fmt::format("  {}: {} of {} points good; period {:.4f} +- {:.4f} h, amplitude "
                              "{:.3f} mag",
                              curve.name,
                              good,
                              curve.points.size(),
                              24.0 * curve.period->days,
                              24.0 * curve.period->error,
                              curve.period->amplitude)
                : fmt::format("  {}: {} of {} points good", curve.name, good, curve.points.size()));
    }
    for (const auto& curve : band.targets) {
        if (curve.period && !curve.period->aliasDays.empty()) {
            std::string aliases;
            for (const double days : curve.period->aliasDays) {
                aliases += fmt::format("{}{:.4f}", aliases.empty() ? "" : ", ", 24.0 * days);
            }
            console.say(fmt::format("  {}: as good a period: {} h", curve.name, aliases));
        }
    }
    for (const std::string& remark : night::remarksOn(band)) {
        console.say("  " + remark);
    }
}

Result<bool> writeFiles(const PhotometryArguments& a,
                        const night::LightCurves& curves,
                        const night::CurveRequest& request) {
    Result<bool> done = true;
    if (!a.csv.empty()) {
        done = night::writeCurvesCsv(a.csv, curves);
    }
    if (done && !a.alcdef.empty()) {
        night::CurveOrigin origin;
        origin.site = request.site;
        done = night::writeCurvesAlcdef(a.alcdef, curves, origin);
    }
    if (done && !a.votable.empty()) {
        done = night::writeCurvesVotable(a.votable, curves);
    }
    if (done && !a.saveSet.empty()) {
        done = night::writeSet(a.saveSet, curves, request.targets);
    }
    return done;
}

int photometry(const PhotometryArguments& a) {
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    const auto store = catalog::StarStore::open(a.store, a.catalogName);
    const auto tables = tablesOf(a.sky);
    const auto request = requestOf(a, *input);
    if (!store || !tables || !request) {
        Console::complain(!store ? store.error() : !tables ? tables.error() : request.error());
        return kSomeFailed;
    }
    auto curves = night::measureCurves(*request, *store, *tables, a.console.job());
    if (!curves) {
        Console::complain(curves.error());
        return kSomeFailed;
    }
    std::vector<Error> failures = input->list.failures;
    failures.insert(failures.end(), curves->failures.begin(), curves->failures.end());
    if (auto written = writeFiles(a, *curves, *request); !written) {
        Console::complain(written.error());
        return kSomeFailed;
    }
    nlohmann::json bands = nlohmann::json::array();
    for (const auto& band : curves->bands) {
        say(a.console, band);
        bands.push_back(bandJson(band));
    }
    return endWith(a.console, {{"bands", bands}}, failures);
}

} // namespace

void addPhotometryVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<PhotometryArguments>();
    CLI::App* verb =
        program.add_subcommand("photometry", "Light curves of bodies and of all stars");
    addFrameArguments(*verb, a->input);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--store", a->store, "Folder of the catalogues")->required();
    verb->add_option("--catalog", a->catalogName, "Catalogue")->required();
    verb->add_option("--body", a->bodies, "A body of the orbit files")->expected(1)->take_all();
    verb->add_option("--orbits", a->orbits, "Orbit files");
    verb->add_option("--at", a->at, "RA and Dec in degrees")->expected(2)->take_all();
    addSkyOptions(*verb, a->sky);
    verb->add_option("--set", a->set, "Targets, comparison and check stars from this file");
    verb->add_option("--save-set", a->saveSet, "Write the stars used to this file");
    verb->add_option("--band", a->band, "This band only");
    verb->add_option("--period", a->periodHours, "Shortest and longest period, hours")->expected(2);
    auto* arcsec = verb->add_option("--aperture-arcsec",
                                    a->apertureArcsec,
                                    "Light in circles of this radius, made up to all of a point's");
    auto* widths = verb->add_option(
        "--aperture-fwhm", a->apertureFwhm, "The same, in widths of each frame's stars");
    auto* best = verb->add_flag(
        "--aperture-best", a->bestAperture, "The same, each in its circle of the best S/N");
    for (CLI::Option* option : {arcsec, widths}) {
        option->check(CLI::PositiveNumber);
        best->excludes(option);
    }
    arcsec->excludes(widths);
    verb->add_option("--csv", a->csv, "Write the curves as CSV");
    verb->add_option("--alcdef", a->alcdef, "Write the curves as ALCDEF");
    verb->add_option("--votable", a->votable, "Write the curves as VOTable");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return photometry(*a); }; });
}

} // namespace pathmark::command
