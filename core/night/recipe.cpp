#include "core/night/recipe.h"

#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "core/frame/equipment.h"
#include "core/night/recipe_calibration.h"
#include "core/night/recipe_document.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <map>

namespace pathmark::night {
namespace fs = std::filesystem;

namespace {

const std::map<std::string, std::vector<std::string>>& knownKeys() {
    static const std::map<std::string, std::vector<std::string>> keys{
        {"site", {"code", "name", "longitude_deg", "latitude_deg", "altitude_m", "unknown"}},
        {"camera", {"gain_e_per_adu", "read_noise_e", "saturation_adu"}},
        {"calibration",
         {"combination",
          "library",
          "without_flats",
          "level_e",
          "colour",
          "gradient",
          "gradient_per",
          "protect",
          "protect_marks",
          "variance",
          "particle_hits"}},
        {"equipment", {"file"}},
        {"masters", {"bias", "dark", "flat", "flat_dark"}},
        {"kinds", {"bias", "dark", "flat", "flat_dark", "light"}},
        {"exclude", {"quality", "above", "below", "of"}},
        {"catalog", {"store", "name", "ades_name", "own_stars"}},
        {"orbits",
         {"files", "planets", "earth_orientation", "index", "observations", "site_codes"}},
        {"candidates", {"search", "slowest_arcsec_per_min", "fastest_arcsec_per_min"}},
        {"bodies", {"names", "search_arcsec", "apertures_arcsec", "comet_centroid"}},
        {"review", {"snr", "brighter_mag", "passing_mag"}},
        {"stack", {"groups", "faint_groups"}},
        {"picture", {"comets"}},
        {"report",
         {"observer",
          "observers",
          "measurer",
          "measurers",
          "submitter",
          "programme",
          "telescope",
          "aperture_m",
          "detector",
          "band",
          "formats"}},
    };
    return keys;
}

/// The first key that nobody knows, with the one that was probably meant.
std::optional<std::string> unknownKey(const std::map<std::string, Toml>& document) {
    std::vector<std::string> sections;
    for (const auto& known : knownKeys()) {
        sections.push_back(known.first);
    }
    for (const auto& [section, value] : document) {
        const auto known = knownKeys().find(section);
        if (known == knownKeys().end()) {
            return fmt::format("There is no section [{}]; did you mean [{}]?",
                               section,
                               nearestWord(section, sections));
        }
        const bool list = section == "exclude" && value.isList();
        if (!value.isTable() && !list) {
            return fmt::format("'{}' must be a section, written [{}].", section, section);
        }
        if (auto unknown = unknownTomlKey(value, section, known->second)) {
            return unknown;
        }
    }
    return std::nullopt;
}

/// What an ADES report may call a detector.
constexpr std::array kDetectors{"CCD", "CMO", "VID", "PHO", "ENC", "PMT", "MIC", "MER", "TDI"};

/// An observatory code: three letters and digits.
bool isSiteCode(const std::string& code) {
    return code.size() == 3 && std::all_of(code.begin(), code.end(), [](unsigned char c) {
               return std::isalnum(c) != 0;
           });
}

void readReport(const RecipeDocument& document, Recipe& recipe) {
    const frame::Equipment& equipment = recipe.rules.equipment;
    report::ReportHead& head = recipe.head;
    head.stationCode = recipe.site.code;
    head.observatory = document.text("site", "name");
    head.observers = document.list("report", "observers");
    head.measurers = document.list("report", "measurers");
    if (head.observers.empty()) {
        head.observers = document.list("report", "observer");
    }
    if (head.measurers.empty()) {
        head.measurers = document.list("report", "measurer");
    }
    // Entered once: what the recipe does not say stands in equipment.toml.
    head.observers = head.observers.empty() ? equipment.observers : head.observers;
    head.measurers = head.measurers.empty() ? equipment.measurers : head.measurers;
    head.submitter = document.text("report", "submitter");
    if (head.submitter.empty() && !head.observers.empty()) {
        head.submitter = head.observers.front();
    }
    head.programme = document.text("report", "programme");
    const auto isLetterOrDigit = [](unsigned char c) { return std::isalnum(c) != 0; };
    if (head.programme.size() > 2 || !std::ranges::all_of(head.programme, isLetterOrDigit)) {
        RecipeDocument::complain(
            "report",
            "programme",
            *document.find("report", "programme"),
            "the code of one or two letters or digits that the station has for it");
    }
    const frame::TelescopeProfile* telescope = equipment.telescope("");
    if (document.find("report", "telescope") != nullptr) {
        head.telescopeDesign = document.text("report", "telescope");
    } else if (telescope != nullptr) {
        head.telescopeDesign = telescope->design;
    }
    if (const auto aperture = document.numberIn("report", "aperture_m", 0.001, 100.0)) {
        head.aperture = fmt::format("{}", *aperture);
    }
    head.detector = document.text("report", "detector");
    if (!head.detector.empty() &&
        std::find(kDetectors.begin(), kDetectors.end(), head.detector) == kDetectors.end()) {
        RecipeDocument::complain("report",
                                 "detector",
                                 *document.find("report", "detector"),
                                 fmt::format("one of {}", fmt::join(kDetectors, ", ")));
    }
    recipe.measure.band = document.text("report", "band");
    if (document.find("report", "formats") != nullptr) {
        recipe.formats = document.list("report", "formats");
        if (recipe.formats.empty()) {
            RecipeDocument::complain("report",
                                     "formats",
                                     *document.find("report", "formats"),
                                     "a list of psv, xml and 80 with one of them at least");
        }
    }
}

Result<bool> readCandidates(const RecipeDocument& document,
                            const fs::path& path,
                            CandidateSettings& candidates) {
    candidates.search = document.flag("candidates", "search", candidates.search);
    candidates.slowestArcsecPerMin = document.number("candidates", "slowest_arcsec_per_min")
                                         .value_or(candidates.slowestArcsecPerMin);
    candidates.fastestArcsecPerMin = document.number("candidates", "fastest_arcsec_per_min")
                                         .value_or(candidates.fastestArcsecPerMin);
    if (!(candidates.slowestArcsecPerMin > 0.0) ||
        !(candidates.fastestArcsecPerMin > candidates.slowestArcsecPerMin)) {
        return fail(badRecipe(path,
                              "[candidates] slowest_arcsec_per_min must be above 0 and below "
                              "fastest_arcsec_per_min."));
    }
    return true;
}

void readReview(const RecipeDocument& document, ReviewRules& review) {
    constexpr double anyMag = 50.0; // so far off is never
    review.leastSnr =
        document.numberIn("review", "snr", measure::kLeastSnr, 1000.0).value_or(review.leastSnr);
    review.brighterMag =
        document.numberIn("review", "brighter_mag", 0.0, anyMag).value_or(review.brighterMag);
    review.passingMag =
        document.numberIn("review", "passing_mag", 0.0, anyMag).value_or(review.passingMag);
}

/// Without a place of the observer bodies are placed as the Earth's centre sees them.
void setUnknownSite(Recipe& recipe) {
    recipe.siteKnown = false;
    recipe.site.parallaxConstants = {0.0, 0.0};
    recipe.notes.emplace_back(
        "The site is not known: bodies are looked for where the Earth's centre sees them, up to "
        "9 arcsec off at a distance of 1 au, and no report can be written.");
}

Result<bool> readSite(const RecipeDocument& document, const fs::path& path, Recipe& recipe) {
    recipe.site.code = document.text("site", "code");
    if (const auto* code = document.find("site", "code");
        code != nullptr && !isSiteCode(recipe.site.code)) {
        RecipeDocument::complain(
            "site",
            "code",
            *code,
            "an observatory code of three letters and digits, such as \"XXX\"");
    }
    auto longitude = document.numberIn("site", "longitude_deg", -360.0, 360.0);
    auto latitude = document.numberIn("site", "latitude_deg", -90.0, 90.0);
    auto altitude = document.numberIn("site", "altitude_m", -500.0, 12000.0);
    const std::string siteName = document.text("site", "name");
    for (const auto& known : recipe.rules.equipment.sites) {
        if (!longitude && !latitude && known.name == siteName) {
            longitude = known.site.longitude.degrees();
            latitude = known.site.latitude.degrees();
            altitude = known.site.altitudeMetres;
            recipe.site.code = recipe.site.code.empty() ? known.site.code : recipe.site.code;
        }
    }
    if (!longitude || !latitude) {
        return fail(
            badRecipe(path,
                      "[site] needs longitude_deg and latitude_deg, or the name of a site of your "
                      "equipment.toml."));
    }
    recipe.site.longitude = Angle::degrees(*longitude);
    recipe.site.latitude = Angle::degrees(*latitude);
    recipe.site.altitudeMetres = altitude.value_or(0.0);
    if (!altitude) {
        recipe.notes.push_back(
            "[site] altitude_m is not given and taken as 0 m; a thousand metres move a body at the "
            "Moon's distance by half an arcsecond.");
    }
    return true;
}

Result<Recipe> fill(const RecipeDocument& document, const fs::path& path) {
    Recipe recipe;
    const fs::path equipment = document.resolve(document.text("equipment", "file"));
    auto rules = equipment.empty() ? frame::observersRules() : frame::readEquipment(equipment);
    if (!rules) {
        return fail(rules.error());
    }
    recipe.rules = std::move(*rules);
    if (document.flag("site", "unknown", false)) {
        setUnknownSite(recipe);
    } else if (auto read = readSite(document, path, recipe); !read) {
        return fail(read.error());
    }
    if (auto read = readCalibration(document, path, recipe); !read) {
        return fail(read.error());
    }
    recipe.catalogStore = document.resolve(document.text("catalog", "store"));
    recipe.catalogName = document.text("catalog", "name");
    recipe.ownStars = document.flag("catalog", "own_stars", false);
    if (!recipe.ownStars && (recipe.catalogStore.empty() || recipe.catalogName.empty())) {
        return fail(badRecipe(path,
                              "[catalog] needs store and name, or own_stars = true where there is "
                              "no catalogue."));
    }
    if (document.find("catalog", "ades_name") != nullptr) {
        recipe.catalogAdesName = document.text("catalog", "ades_name");
    }
    for (const std::string& file : document.list("orbits", "files")) {
        recipe.orbitFiles.push_back(document.resolve(file));
    }
    for (const std::string& file : document.list("orbits", "planets")) {
        recipe.skyTables.kernels.push_back(document.resolve(file));
    }
    recipe.skyTables.earthOrientation =
        document.resolve(document.text("orbits", "earth_orientation"));
    recipe.orbitIndex = document.resolve(document.text("orbits", "index"));
    for (const std::string& file : document.list("orbits", "observations")) {
        recipe.observationFiles.push_back(document.resolve(file));
    }
    for (const std::string& file : document.list("orbits", "site_codes")) {
        recipe.siteCodeFiles.push_back(document.resolve(file));
    }
    if (auto read = readCandidates(document, path, recipe.candidates); !read) {
        return fail(read.error());
    }
    recipe.bodies = document.list("bodies", "names");
    if (recipe.bodies.size() == 1 && recipe.bodies.front() == "in reach") {
        recipe.bodies.clear();
    }
    for (const std::string& name : recipe.bodies) {
        if (name == "all" || name == "in reach" || name.empty()) {
            RecipeDocument::complain("bodies",
                                     "names",
                                     *document.find("bodies", "names"),
                                     "\"in reach\" alone, or designations such as \"2034 EW2\"");
        }
    }
    constexpr double widest = 3600.0;
    constexpr int mostGroups = 100000;
    recipe.measure.searchArcsec = document.numberIn("bodies", "search_arcsec", 0.01, widest)
                                      .value_or(recipe.measure.searchArcsec);
    readReview(document, recipe.measure.review);
    if (const Toml* radii = document.find("bodies", "apertures_arcsec")) {
        recipe.measure.comet.aperturesArcsec =
            RecipeDocument::numbersIn("bodies", "apertures_arcsec", *radii, 0.1, widest);
    }
    if (const std::string text = document.text("bodies", "comet_centroid"); !text.empty()) {
        const auto centroid = measure::comaCentroidNamed(text);
        if (!centroid) {
            return fail(badRecipe(
                path,
                fmt::format(
                    "[bodies] comet_centroid knows coma, peak, symmetry and isophote, not '{}'.",
                    text)));
        }
        recipe.measure.comet.centroid = *centroid;
    }
    recipe.picturesOfComets = document.flag("picture", "comets", recipe.picturesOfComets);
    recipe.stackGroups = document.count("stack", "groups", mostGroups).value_or(0);
    recipe.faintGroups =
        document.count("stack", "faint_groups", mostGroups).value_or(recipe.faintGroups);
    readReport(document, recipe);
    for (const std::string& format : recipe.formats) {
        if (format != "psv" && format != "xml" && format != "80") {
            return fail(badRecipe(
                path, fmt::format("[report] formats knows psv, xml and 80, not '{}'.", format)));
        }
    }
    return recipe;
}

} // namespace

std::string ReviewRules::doubtOfSnr(double snr) const {
    return snr < leastSnr ? fmt::format("signal-to-noise of {:.1f} is under {:g}", snr, leastSnr)
                          : std::string();
}

Result<Recipe> readRecipe(const fs::path& path) {
    std::error_code status;
    if (!fs::is_regular_file(path, status)) {
        return fail(badRecipe(
            path, "The recipe does not exist; 'pathmark demo' writes one to start from."));
    }
    try {
        const auto text = readWholeFile(path);
        if (!text) {
            return fail(badRecipe(path, "The recipe cannot be read."));
        }
        const Toml root = Toml::parse(*text, "recipe");
        if (const auto unknown = unknownKey(root.table())) {
            return fail(badRecipe(path, *unknown));
        }
        return fill(RecipeDocument(root, fs::absolute(path).parent_path()), path);
    } catch (const BadRecipeValue& error) {
        return fail(badRecipe(path, error.what()));
    } catch (const TomlError& error) {
        return fail(badRecipe(path,
                              error.isSyntax
                                  ? fmt::format("Line {} is no TOML: {}.", error.line, error.what())
                                  : fmt::format("Cannot be read as a recipe: {}.", error.what())));
    }
}

} // namespace pathmark::night
