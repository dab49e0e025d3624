#include "command/body_choice.h"
#include "command/catalog_choice.h"
#include "command/frame_input.h"
#include "core/night/shifted_sources.h"
#include "core/night/site_parallax.h"
#include "core/orbit/place/ephemeris.h"
#include "core/orbit/place/star_parallax.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

using night::MeasurableFile;

constexpr double kLightDiffers = 0.5; ///< logarithm: half a magnitude
constexpr double kAlong = 0.9995;     ///< cosine of 2 degrees off the line between the sites
constexpr double kAcrossErrors = 4.0;
/// One standard deviation of a place that is only known to its pixel.
constexpr double kPixelError = 0.2887;

struct ParallaxArguments {
    Console console;
    std::array<std::string, 2> files;
    ReadingArguments reading;
    std::string wcsFolder;
    std::string body;
    std::vector<std::string> orbits;
    std::vector<double> near;   ///< RA and Dec in degrees
    std::vector<double> pixels; ///< x and y of either; the first counts 1
    std::array<std::vector<double>, 2> sites;
    bool noCentroid = false;
    bool isStar = false;
    std::vector<double> properMotion{0.0, 0.0}; ///< mas a year, RA times cos Dec
    CatalogArguments catalog;
    SkyOptions sky; ///< of which the tables count
};

std::string objectionTo(const ParallaxArguments& a) {
    const int ways =
        (a.body.empty() ? 0 : 1) + (a.near.empty() ? 0 : 1) + (a.pixels.empty() ? 0 : 1);
    if (ways != 1) {
        return "Give one of --body, --near and --pixels.";
    }
    if (!a.body.empty() && a.orbits.empty()) {
        return "--body needs --orbits FILE.";
    }
    if (a.noCentroid && a.pixels.empty()) {
        return "--no-centroid takes the places as they are: give both by --pixels.";
    }
    if (!a.near.empty() && !isPlace(a.near[0], a.near[1])) {
        return fmt::format("--near {:g} {:g} is no place of the sky.", a.near[0], a.near[1]);
    }
    if (std::string objection = command::objectionTo(a.catalog); !objection.empty()) {
        return objection;
    }
    if (a.isStar && !a.body.empty()) {
        return "--star is for a star: give its place by --near or --pixels.";
    }
    for (const auto& site : a.sites) {
        if (site.empty()) {
            if (!a.isStar) {
                return "Give --site-a and --site-b; only for a star (--star) they do not matter.";
            }
            continue;
        }
        if (!isPlace(site[0], site[1])) {
            return fmt::format("{:g} {:g} is no place on the Earth.", site[0], site[1]);
        }
    }
    return {};
}

frame::Site siteOfNumbers(const std::vector<double>& numbers) {
    frame::Site site;
    site.longitude = Angle::degrees(numbers[0]);
    site.latitude = Angle::degrees(numbers[1]);
    site.altitudeMetres = numbers[2];
    return site;
}

/// Everything that a comparison goes by.
class Comparison {
  public:
    static Result<Comparison> open(const ParallaxArguments& a);

    Result<nlohmann::json> compare() const;

  private:
    explicit Comparison(const ParallaxArguments& a) : a_(&a) {}

    [[nodiscard]] Result<std::array<SkyPos, 2>>
    placesNear(const std::array<MeasurableFile, 2>& files) const;
    [[nodiscard]] Result<std::array<SkyPos, 2>>
    predicted(const std::array<MeasurableFile, 2>& files) const;
    [[nodiscard]] Result<nlohmann::json> ofBody(const night::SiteSight& a,
                                                const night::SiteSight& b) const;
    [[nodiscard]] Result<nlohmann::json> ofStar(const night::SiteSight& a,
                                                const night::SiteSight& b) const;
    [[nodiscard]] Result<night::SiteSight>
    seenFrom(std::size_t i, const MeasurableFile& file, const SkyPos& place) const;

    const ParallaxArguments* a_;
    frame::ReadingRules rules_;
    std::array<frame::Site, 2> sites_;
    std::optional<orbit::Elements> elements_;
    std::optional<night::SkyTables> tables_;
    std::optional<catalog::StarStore> store_;
};

Result<Comparison> Comparison::open(const ParallaxArguments& a) {
    Comparison comparison(a);
    auto rules = a.reading.rules();
    auto tables = tablesOf(a.sky);
    if (!rules || !tables) {
        return fail(!rules ? rules.error() : tables.error());
    }
    comparison.rules_ = std::move(*rules);
    comparison.tables_ = std::move(*tables);
    for (std::size_t i = 0; i < 2; ++i) {
        if (!a.sites[i].empty()) {
            comparison.sites_[i] = siteOfNumbers(a.sites[i]);
        }
    }
    if (!a.body.empty()) {
        auto elements = bodyFrom(a.orbits, a.body);
        if (!elements) {
            return fail(elements.error());
        }
        comparison.elements_ = std::move(*elements);
    }
    auto store = openCatalog(a.catalog);
    if (!store) {
        return fail(store.error());
    }
    comparison.store_ = std::move(*store);
    return comparison;
}

/// The brightest light that is shifted from one frame to the other along the line that leads from site to site.
Result<std::array<SkyPos, 2>>
Comparison::placesNear(const std::array<MeasurableFile, 2>& files) const {
    const SkyPos near = skyDegrees(a_->near[0], a_->near[1]);
    const auto ours = night::shiftedSources(files[0], files[1], near);
    const auto theirs = night::shiftedSources(files[1], files[0], near);
    const auto first = night::geocentricOf(sites_[0], *files[0].info().midExposure, *tables_);
    const auto second = night::geocentricOf(sites_[1], *files[1].info().midExposure, *tables_);
    if (!first || !second) {
        return fail(!first ? first.error() : second.error());
    }
    std::optional<std::array<SkyPos, 2>> best;
    double brightest = 0.0;
    for (const auto& a : ours.sources) {
        for (const auto& b : theirs.sources) {
            // One body is as bright in both, up to what its trail costs.
            if (std::abs(std::log(b.flux / (ours.ratio * a.flux))) > kLightDiffers) {
                continue;
            }
            const auto parallax = orbit::parallaxOf({a.sky, *first}, {b.sky, *second});
            const double light = std::min(a.flux / a.error, b.flux / b.error);
            if (parallax && parallax->alongShare > kAlong && light > brightest) {
                brightest = light;
                best = std::array<SkyPos, 2>{a.sky, b.sky};
            }
        }
    }
    if (!best) {
        return fail(ErrorId::MeasureNotSeen,
                    "No light near there is shifted from one frame to the other along the line "
                    "between the sites. Give its pixels by --pixels.");
    }
    return *best;
}

Result<std::array<SkyPos, 2>>
Comparison::predicted(const std::array<MeasurableFile, 2>& files) const {
    if (!a_->near.empty() && !a_->isStar) {
        return placesNear(files);
    }
    std::array<SkyPos, 2> places;
    for (std::size_t i = 0; i < 2; ++i) {
        if (!a_->near.empty()) {
            places[i] = skyDegrees(a_->near[0], a_->near[1]);
            continue;
        }
        if (!a_->pixels.empty()) {
            places[i] =
                files[i].wcs().toSky(frame::fromFits({a_->pixels[2 * i], a_->pixels[2 * i + 1]}));
            continue;
        }
        const auto place =
            night::placeFrom(sites_[i], *files[i].info().midExposure, *elements_, *tables_);
        if (!place) {
            return fail(place.error());
        }
        places[i] = place->sky;
    }
    return places;
}

Result<night::SiteSight>
Comparison::seenFrom(std::size_t i, const MeasurableFile& file, const SkyPos& place) const {
    if (a_->noCentroid) {
        return night::SiteSight{
            place, kPixelError * file.wcs().scaleArcsec(), file.timeAt(place), sites_[i]};
    }
    measure::Target target;
    target.predicted = place;
    target.searchArcsec = file.searchArcsec();
    target.isPlace = a_->isStar; // it is in the catalogue itself
    if (elements_) {
        const auto motion = night::placeFrom(sites_[i], file.timeAt(place), *elements_, *tables_);
        if (!motion) {
            return fail(motion.error());
        }
        target.xiRateArcsecPerMin = motion->xiRateArcsecPerMin;
        target.etaRateArcsecPerMin = motion->etaRateArcsecPerMin;
        target.trailSeconds = file.info().exposureSeconds;
    }
    const auto measured = file.measureBody(target);
    if (!measured) {
        Error error = measured.error();
        error.subject = a_->files[i];
        return fail(std::move(error));
    }
    return night::SiteSight::of(measured->sky,
                                measured->raErrorArcsec,
                                measured->decErrorArcsec,
                                file.timeAt(measured->sky),
                                sites_[i]);
}

Result<nlohmann::json> Comparison::compare() const {
    const catalog::StarStore* store = pointerTo(store_);
    auto fileA = MeasurableFile::open(a_->files[0], a_->wcsFolder, rules_, store);
    auto fileB = MeasurableFile::open(a_->files[1], a_->wcsFolder, rules_, store);
    if (!fileA || !fileB) {
        return fail(!fileA ? fileA.error() : fileB.error());
    }
    const std::array<MeasurableFile, 2> files{std::move(*fileA), std::move(*fileB)};
    const auto places = predicted(files);
    if (!places) {
        return fail(places.error());
    }
    const auto a = seenFrom(0, files[0], (*places)[0]);
    const auto b = seenFrom(1, files[1], (*places)[1]);
    if (!a || !b) {
        return fail(!a ? a.error() : b.error());
    }
    return a_->isStar ? ofStar(*a, *b) : ofBody(*a, *b);
}

Result<nlohmann::json> Comparison::ofStar(const night::SiteSight& a,
                                          const night::SiteSight& b) const {
    const auto sightOf = [&](const night::SiteSight& sight) -> Result<orbit::StarSight> {
        const auto observer =
            orbit::observerAt(tables_->planets, sight.site, sight.time, tables_->turn);
        if (!observer) {
            return fail(observer.error());
        }
        return orbit::StarSight{sight.sky, sight.errorArcsec, sight.time, observer->place};
    };
    const auto first = sightOf(a);
    const auto second = sightOf(b);
    if (!first || !second) {
        return fail(!first ? first.error() : second.error());
    }
    const auto star =
        orbit::starParallax(*first, *second, {a_->properMotion[0], a_->properMotion[1]});
    if (!star) {
        return fail(star.error());
    }
    if (std::abs(star->acrossMas) > kAcrossErrors * star->acrossErrorMas) {
        a_->console.say(fmt::format(
            "{:.1f} mas of the shift lie across the Earth's own way: no parallax makes that. The "
            "proper motion (--proper-motion RA DEC in mas a year) is missing or wrong.",
            std::abs(star->acrossMas)));
    }
    nlohmann::json document{{"time_a", toIso(a.time)},
                            {"time_b", toIso(b.time)},
                            {"time_difference_s", b.time.secondsSince(a.time)},
                            {"shift_mas", star->shiftMas},
                            {"parallax_mas", star->parallaxMas},
                            {"parallax_err_mas", star->errorMas},
                            {"across_mas", star->acrossMas},
                            {"baseline_au", star->baselineAu},
                            {"baseline_perpendicular_au", star->baselineAcrossAu},
                            {"distance_pc", nullptr}};
    if (star->parallaxMas > 0.0) {
        document["distance_pc"] = star->distanceParsec();
    }
    return document;
}

Result<nlohmann::json> Comparison::ofBody(const night::SiteSight& a,
                                          const night::SiteSight& b) const {
    const auto seen = night::siteParallax(a, b, elements_, *tables_);
    if (!seen) {
        return fail(seen.error());
    }
    const double difference = seen->differenceSeconds;
    const bool takenOff = seen->isMotionTakenOff;
    const orbit::Parallax& parallax = seen->parallax;
    if (!takenOff && std::abs(difference) > 1.0) {
        a_->console.say(fmt::format("The exposures are {:.1f} s apart and the body's motion is not "
                                    "known: what it moved is in the shift. Give --body and "
                                    "--orbits to take it off.",
                                    difference));
    } else if (takenOff && std::abs(difference) > 0.05) {
        a_->console.say(fmt::format("The exposures are {:.1f} s apart; the body's motion between "
                                    "them is taken off.",
                                    difference));
    }
    if (!seen->isOnLine()) {
        a_->console.say(fmt::format("The shift lies {:.0f} degrees off the direction of the other "
                                    "site: the sites, the times or the places measured do not fit.",
                                    seen->offLine().degrees()));
    }
    return nlohmann::json{
        {"time_a", toIso(a.time)},
        {"time_b", toIso(b.time)},
        {"time_difference_s", difference},
        {"shift_arcsec", parallax.shiftArcsec},
        {"shift_err_arcsec", seen->shiftErrorArcsec},
        {"motion_taken_off", takenOff},
        {"baseline_km", parallax.baselineAu * orbit::kKilometresPerAu},
        {"baseline_perpendicular_km", parallax.baselinePerpendicularAu * orbit::kKilometresPerAu},
        {"distance_au", parallax.distanceAu},
        {"distance_err_au", seen->distanceErrorAu},
        {"distance_km", parallax.distanceAu * orbit::kKilometresPerAu}};
}

std::string starWords(const nlohmann::json& star) {
    std::string words = fmt::format(
        "shift {:.1f} mas, the Earth went {:.3f} au ({:.3f} across), parallax {:.1f} +- {:.1f} mas",
        star["shift_mas"].get<double>(),
        star["baseline_au"].get<double>(),
        star["baseline_perpendicular_au"].get<double>(),
        star["parallax_mas"].get<double>(),
        star["parallax_err_mas"].get<double>());
    if (!star["distance_pc"].is_null()) {
        words += fmt::format(", {:.2f} pc away", star["distance_pc"].get<double>());
    }
    return words + "\n";
}

int parallax(const ParallaxArguments& a) {
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto comparison = Comparison::open(a);
    auto document =
        comparison ? comparison->compare() : Result<nlohmann::json>(fail(comparison.error()));
    if (!document) {
        Console::complain(document.error());
        return kSomeFailed;
    }
    if (a.console.json) {
        Console::print(*document);
        return kDone;
    }
    if (a.isStar) {
        Console::print(starWords(*document));
        return kDone;
    }
    Console::print(fmt::format("shift {:.3f} +- {:.3f} arcsec, baseline {:.1f} km ({:.1f} across), "
                               "distance {:.6f} +- {:.6f} au = {:.0f} km\n",
                               (*document)["shift_arcsec"].get<double>(),
                               (*document)["shift_err_arcsec"].get<double>(),
                               (*document)["baseline_km"].get<double>(),
                               (*document)["baseline_perpendicular_km"].get<double>(),
                               (*document)["distance_au"].get<double>(),
                               (*document)["distance_err_au"].get<double>(),
                               (*document)["distance_km"].get<double>()));
    return kDone;
}

} // namespace

void addParallaxVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<ParallaxArguments>();
    CLI::App* verb = program.add_subcommand(
        "parallax", "How far a body is that two sites saw at one time, or a star on two dates");
    verb->add_option("file_a", a->files[0], "A solved frame of the first site")->required();
    verb->add_option("file_b", a->files[1], "A solved frame of the second site")->required();
    addReadingOptions(*verb, a->reading);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--body", a->body, "A body of the orbit files");
    verb->add_option("--orbits", a->orbits, "Orbit files");
    verb->add_option("--near", a->near, "RA and Dec in degrees to look near")->expected(2);
    verb->add_option(
            "--pixels", a->pixels, "The pixels of the body in both frames; the first counts 1")
        ->expected(4);
    const char* what = "Longitude and latitude in degrees, altitude in metres";
    verb->add_option("--site-a", a->sites[0], what)->expected(3);
    verb->add_option("--site-b", a->sites[1], what)->expected(3);
    verb->add_flag("--star", a->isStar, "A star on two dates, some half a year apart");
    verb->add_option("--proper-motion",
                     a->properMotion,
                     "Of the star, mas a year in RA (times cos Dec) and Dec")
        ->expected(2);
    verb->add_flag("--no-centroid", a->noCentroid, "Take the pixels as they are");
    addCatalogOptions(*verb, a->catalog, "neighbours and the solutions' errors");
    verb->add_option("--planets", a->sky.kernels, "SPK kernels in place of the one that ships");
    verb->add_option("--earth-orientation",
                     a->sky.earthOrientation,
                     "Table of UT1-UTC and the pole (finals2000A)");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return parallax(*a); }; });
}

} // namespace pathmark::command
