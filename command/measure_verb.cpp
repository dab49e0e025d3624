#include "command/body_choice.h"
#include "command/catalog_choice.h"
#include "command/frame_input.h"
#include "core/night/measure_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

using night::MeasurableFile;

struct MeasureArguments {
    Console console;
    FrameArguments input;
    std::string wcsFolder;
    BodyArguments body;
    std::vector<double> at;    ///< RA and Dec in degrees
    std::vector<double> pixel; ///< the first counts 1
    bool noCentroid = false;
    bool comet = false;
    bool trail = false;
    std::vector<double> apertures;
    std::string centroid = "coma";
    CatalogArguments catalog;
};

std::string objectionTo(const MeasureArguments& a) {
    const int ways =
        (a.body.body.empty() ? 0 : 1) + (a.at.empty() ? 0 : 1) + (a.pixel.empty() ? 0 : 1);
    if (ways != 1) {
        return "Give one of --body, --at and --pixel.";
    }
    if (std::string objection = command::objectionTo(a.body); !objection.empty()) {
        return objection;
    }
    if (!a.at.empty() && !isPlace(a.at[0], a.at[1])) {
        return fmt::format("--at {:g} {:g} is no place of the sky.", a.at[0], a.at[1]);
    }
    if (std::string objection = command::objectionTo(a.catalog); !objection.empty()) {
        return objection;
    }
    if (a.noCentroid && a.comet) {
        return "--no-centroid and --comet do not go together: a comet is measured about its "
               "nucleus.";
    }
    if (a.trail && (a.noCentroid || a.comet || !a.body.body.empty())) {
        return "--trail is for a trail that nobody knows: with --at or --pixel, and neither "
               "--no-centroid nor --comet.";
    }
    if (a.centroid != "coma" && !a.comet && a.body.body.empty()) {
        return "--centroid is for a comet: give --comet too.";
    }
    for (const double radius : a.apertures) {
        if (!(radius > 0.0) || !std::isfinite(radius)) {
            return fmt::format("--apertures: {:g} is no radius.", radius);
        }
    }
    return {};
}

/// The target on one picture.
struct Aim {
    measure::Target target;
    Utc time;
    std::optional<measure::CometDistance> distance;
};

Result<Aim> aimOf(const MeasureArguments& a,
                  const std::optional<SoughtBody>& sought,
                  const MeasurableFile& file) {
    Aim aim;
    aim.target.searchArcsec = file.searchArcsec();
    aim.target.isPlace = !sought;
    if (!a.pixel.empty()) {
        aim.target.predicted = file.wcs().toSky(frame::fromFits({a.pixel[0], a.pixel[1]}));
    } else if (!a.at.empty()) {
        aim.target.predicted = skyDegrees(a.at[0], a.at[1]);
    } else {
        auto first = sought->at(*file.info().midExposure);
        if (!first) {
            return fail(first.error());
        }
        const auto place = sought->at(file.timeAt(first->sky));
        if (!place) {
            return fail(place.error());
        }
        aim.target.predicted = place->sky;
        aim.target.xiRateArcsecPerMin = place->xiRateArcsecPerMin;
        aim.target.etaRateArcsecPerMin = place->etaRateArcsecPerMin;
        aim.target.trailSeconds = file.info().exposureSeconds;
        aim.distance = measure::CometDistance{place->sunDistanceAu, place->distanceAu};
        if (place->uncertainty) {
            aim.target.placeError =
                measure::PlaceError{place->uncertainty->major.arcsec(),
                                    place->uncertainty->minor.arcsec(),
                                    place->uncertainty->positionAngle.degrees()};
        }
    }
    aim.time = file.timeAt(aim.target.predicted);
    return aim;
}

/// The words for what is doubtful.
std::vector<std::string> flagsOf(const measure::Measured& measured) {
    if (measured.concern.empty()) {
        return {};
    }
    if (measured.concern.find("catalogue star") != std::string::npos) {
        return {"blend"};
    }
    if (measured.concern.find("saturated") != std::string::npos) {
        return {"saturated"};
    }
    return {"poor_fit"};
}

/// A row without results.
nlohmann::json emptyRow(const MeasurableFile& file, const Aim& aim) {
    nlohmann::json row{{"file", file.info().path.string()},
                       {"mid_time", toIso(aim.time)},
                       {"fwhm_arcsec", file.fwhmArcsec()},
                       {"flags", nlohmann::json::array()},
                       {"comet", nullptr}};
    for (const char* field : {"ra",
                              "dec",
                              "x",
                              "y",
                              "ra_err_arcsec",
                              "dec_err_arcsec",
                              "mag",
                              "mag_err",
                              "band",
                              "snr",
                              "chi_square",
                              "upper_limit_mag"}) {
        row[field] = nullptr;
    }
    if (const auto& match = file.photometry()) {
        row["band"] = std::string(catalog::name(match->band));
    }
    if (const auto pixel = file.wcs().toPixel(aim.target.predicted)) {
        row["x"] = frame::toFits(*pixel).x;
        row["y"] = frame::toFits(*pixel).y;
    }
    return row;
}

void fill(const measure::Measured& measured, nlohmann::json& row) {
    row["ra"] = measured.sky.longitude.degrees();
    row["dec"] = measured.sky.latitude.degrees();
    row["x"] = frame::toFits(measured.pixel).x;
    row["y"] = frame::toFits(measured.pixel).y;
    row["ra_err_arcsec"] = measured.raErrorArcsec;
    row["dec_err_arcsec"] = measured.decErrorArcsec;
    row["mag"] = finite(measured.magnitude);
    row["mag_err"] = measured.magnitude ? finite(measured.magnitudeError) : nlohmann::json();
    row["snr"] = measured.snr;
    row["chi_square"] = finite(measured.chiSquare);
    row["flags"] = flagsOf(measured);
}

nlohmann::json
cometJson(const MeasurableFile& file, const Aim& aim, const MeasurableFile::Comet& comet) {
    nlohmann::json circles = nlohmann::json::array();
    for (const auto& circle : comet.measured.apertures) {
        nlohmann::json entry{{"radius_arcsec", circle.radiusArcsec},
                             {"mag", finite(circle.magnitude)},
                             {"mag_err", nullptr},
                             {"afrho_cm", nullptr},
                             {"afrho_err_cm", nullptr}};
        if (circle.magnitude) {
            entry["mag_err"] = circle.magnitudeError;
            if (aim.distance && file.photometry()) {
                const double afrho = measure::afrhoCentimetres(*circle.magnitudeWithoutSeeing(),
                                                               file.photometry()->band,
                                                               circle.radiusArcsec,
                                                               *aim.distance);
                entry["afrho_cm"] = afrho;
                entry["afrho_err_cm"] = afrho * circle.magnitudeError / 1.0857;
            }
        }
        circles.push_back(std::move(entry));
    }
    return {{"apertures", circles},
            {"coma_slope", comet.measured.slope},
            {"tail_pa_deg", comet.tail ? finite(comet.tail->degrees()) : nlohmann::json()},
            {"centroid", measure::name(comet.measured.centroid)}};
}

/// The row of a body that was not seen: how bright it could be.
void fillLimit(const MeasurableFile& file,
               const Aim& aim,
               const Error& error,
               nlohmann::json& row) {
    if (error.id == ErrorId::MeasureOutside) {
        row["flags"] = {"outside"};
        row["x"] = nullptr;
        row["y"] = nullptr;
        return;
    }
    row["upper_limit_mag"] = finite(file.upperLimit(aim.target));
    if (error.id == ErrorId::MeasureFitFailed) {
        row["flags"] = {"fit_failed"};
    }
}

void measureFixed(const MeasurableFile& file, const Aim& aim, nlohmann::json& row) {
    const auto light = file.lightAt(aim.target);
    if (!light) {
        fillLimit(file, aim, light.error(), row);
        return;
    }
    row["snr"] = light->flux / light->fluxError;
    row["chi_square"] = finite(light->chiSquare);
    if (light->flux < measure::kLeastSnr * light->fluxError) {
        row["upper_limit_mag"] =
            finite(file.magnitudeOf(3.0 * light->fluxError, aim.target.predicted));
        return;
    }
    row["ra"] = aim.target.predicted.longitude.degrees();
    row["dec"] = aim.target.predicted.latitude.degrees();
    row["mag"] = finite(file.magnitudeOf(light->flux, aim.target.predicted));
    if (const auto& match = file.photometry()) {
        row["mag_err"] = std::hypot(
            1.0857 * light->fluxError / light->flux, match->zeroPointError, match->unexplained);
    }
}

void measureTrail(const MeasurableFile& file, const Aim& aim, nlohmann::json& row) {
    row["trail"] = nullptr;
    const auto trail = file.measureTrail(aim.target);
    if (!trail) {
        fillLimit(file, aim, trail.error(), row);
        return;
    }
    fill(trail->measured, row);
    row["trail"] = {
        {"length_arcsec", trail->found.lengthArcsec},
        {"length_err_arcsec", trail->found.lengthErrorArcsec},
        {"position_angle_deg", trail->found.positionAngle.degrees()},
        {"position_angle_err_deg", trail->found.angleError.degrees()},
        {"rate_arcsec_per_min", trail->found.rateArcsecPerMin(file.info().exposureSeconds)}};
}

Result<nlohmann::json> measureOne(const MeasureArguments& a,
                                  const std::optional<SoughtBody>& sought,
                                  const std::filesystem::path& path,
                                  const frame::ReadingRules& rules,
                                  const catalog::StarStore* store) {
    const auto file = MeasurableFile::open(path, a.wcsFolder, rules, store);
    if (!file) {
        return fail(file.error());
    }
    const auto aim = aimOf(a, sought, *file);
    if (!aim) {
        return fail(aim.error());
    }
    nlohmann::json row = emptyRow(*file, *aim);
    if (a.noCentroid) {
        measureFixed(*file, *aim, row);
        return row;
    }
    if (a.comet || (sought && sought->elements.isComet())) {
        const auto comet = file->measureComet(
            aim->target, {a.apertures, measure::comaCentroidNamed(a.centroid).value()});
        if (comet) {
            fill(comet->measured.nucleus, row);
            row["comet"] = cometJson(*file, *aim, *comet);
        } else {
            fillLimit(*file, *aim, comet.error(), row);
        }
        return row;
    }
    if (a.trail) {
        measureTrail(*file, *aim, row);
        return row;
    }
    const auto measured = file->measureBody(aim->target);
    if (measured) {
        fill(*measured, row);
    } else {
        fillLimit(*file, *aim, measured.error(), row);
    }
    return row;
}

void say(const Console& console, const nlohmann::json& row) {
    const std::string start =
        row["mid_time"].get<std::string>() + "  " + row["file"].get<std::string>();
    if (!row["ra"].is_null()) {
        const auto number = [&](const char* field, int digits) {
            return row[field].is_null() ? std::string("-")
                                        : fmt::format("{:.{}f}", row[field].get<double>(), digits);
        };
        console.say(fmt::format("{}  {} {}  mag {} +- {}  S/N {}",
                                start,
                                number("ra", 6),
                                number("dec", 6),
                                number("mag", 3),
                                number("mag_err", 3),
                                number("snr", 1)));
    } else if (!row["upper_limit_mag"].is_null()) {
        console.say(fmt::format(
            "{}  not seen; fainter than {:.2f}", start, row["upper_limit_mag"].get<double>()));
    } else {
        console.say(start + "  not measured" +
                    (row["flags"].empty() ? "" : ": " + row["flags"][0].get<std::string>()));
    }
}

int measureAll(const MeasureArguments& a) {
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    std::optional<SoughtBody> sought;
    if (!a.body.body.empty()) {
        auto found = seekBody(a.body);
        if (!found) {
            Console::complain(found.error());
            return kSomeFailed;
        }
        sought = std::move(*found);
    }
    const auto store = openCatalog(a.catalog);
    if (!store) {
        Console::complain(store.error());
        return kSomeFailed;
    }
    std::vector<Error> failures = input->list.failures;
    nlohmann::json rows = nlohmann::json::array();
    const Job job = a.console.job();
    bool anyInside = false;
    for (const auto& path : input->list.files) {
        if (job.stop.stop_requested()) {
            break;
        }
        auto row = measureOne(a, sought, path, input->rules, pointerTo(*store));
        if (!row) {
            Error error = row.error();
            error.subject = error.subject.empty() ? path.string() : error.subject;
            failures.push_back(std::move(error));
            continue;
        }
        say(a.console, *row);
        anyInside = anyInside || !(*row)["x"].is_null();
        rows.push_back(std::move(*row));
    }
    if (!rows.empty() && !anyInside) {
        failures.push_back({ErrorId::MeasureOutside,
                            "The target is outside every one of these frames.",
                            a.body.body});
    }
    return endWith(a.console, {{"measurements", rows}}, failures);
}

} // namespace

void addMeasureVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<MeasureArguments>();
    CLI::App* verb =
        program.add_subcommand("measure", "Measure a body or a place in solved frames and stacks");
    addFrameArguments(*verb, a->input);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    addBodyOptions(*verb, a->body);
    verb->add_option("--at", a->at, "RA and Dec in degrees")->expected(2);
    verb->add_option("--pixel", a->pixel, "A pixel; the first counts 1")->expected(2);
    verb->add_flag("--no-centroid", a->noCentroid, "Measure the light at the very place");
    addCatalogOptions(*verb, a->catalog, "zero point and neighbours");
    verb->add_flag("--trail", a->trail, "A trail there, its length and direction not known");
    verb->add_flag("--comet", a->comet, "Measure it as a comet");
    verb->add_option("--apertures", a->apertures, "Radii in arcsec, for a comet")->delimiter(',');
    verb->add_option(
            "--centroid",
            a->centroid,
            "What a comet's place is: the cusp of its coma, the brightest point, the centre of "
            "symmetry, or that of an isophote")
        ->check(CLI::IsMember({"coma", "peak", "symmetry", "isophote"}));
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return measureAll(*a); }; });
}

} // namespace pathmark::command
