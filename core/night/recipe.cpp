#include "core/night/recipe.h"

#include "core/base/text.h"
#include "core/base/toml.h"
#include "core/base/whole_file.h"
#include "core/frame/equipment.h"
#include "core/night/protected_sky.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <map>
#include <stdexcept>

namespace pathmark::night {
namespace fs = std::filesystem;

namespace {

const std::map<std::string, std::vector<std::string>>& knownKeys() {
    static const std::map<std::string, std::vector<std::string>> keys{
        {"site", {"code", "name", "longitude_deg", "latitude_deg", "altitude_m"}},
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
        {"catalog", {"store", "name", "ades_name"}},
        {"orbits",
         {"files", "planets", "earth_orientation", "index", "observations", "site_codes"}},
        {"candidates", {"search", "slowest_arcsec_per_min", "fastest_arcsec_per_min"}},
        {"bodies", {"names", "search_arcsec", "apertures_arcsec", "comet_centroid"}},
        {"stack", {"groups", "faint_groups"}},
        {"report",
         {"observer",
          "observers",
          "measurer",
          "measurers",
          "submitter",
          "telescope",
          "aperture_m",
          "detector",
          "band",
          "formats"}},
    };
    return keys;
}

Error bad(const fs::path& path, std::string detail) {
    return {ErrorId::NightBadRecipe, std::move(detail), path.string()};
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

/// A value that cannot be; caught where the recipe is read.
struct BadValue : std::runtime_error {
    using std::runtime_error::runtime_error;
};

/// Typed access to the document. What is wrong with a value is thrown with its key and its line; readRecipe turns that
/// into an error.
class Document {
  public:
    Document(const Toml& root, fs::path folder) : root_(root), folder_(std::move(folder)) {}

    [[nodiscard]] const Toml* find(const char* section, const char* key) const {
        if (!root_.contains(section) || !root_.at(section).contains(key)) {
            return nullptr;
        }
        return &root_.at(section).at(key);
    }

    [[noreturn]] static void
    complain(const char* section, const char* key, const Toml& value, std::string_view must) {
        throw BadValue(
            fmt::format("[{}] {} (line {}) must be {}.", section, key, value.line(), must));
    }

    /// A finite number.
    [[nodiscard]] std::optional<double> number(const char* section, const char* key) const {
        const Toml* value = find(section, key);
        if (value == nullptr) {
            return std::nullopt;
        }
        if (!value->isNumber()) {
            complain(section, key, *value, "a number, without quotes");
        }
        const double number = value->number();
        if (!std::isfinite(number)) {
            complain(section, key, *value, "a number");
        }
        return number;
    }

    /// A number from `least` to `most`.
    [[nodiscard]] std::optional<double>
    numberIn(const char* section, const char* key, double least, double most) const {
        const auto value = number(section, key);
        if (value && (*value < least || *value > most)) {
            complain(section,
                     key,
                     *find(section, key),
                     fmt::format("a number from {:g} to {:g}", least, most));
        }
        return value;
    }

    /// A list of numbers from `least` to `most`.
    [[nodiscard]] static std::vector<double>
    numbersIn(const char* section, const char* key, const Toml& value, double least, double most) {
        const std::string must = fmt::format("a list of numbers from {:g} to {:g}", least, most);
        if (!value.isList()) {
            complain(section, key, value, must);
        }
        std::vector<double> numbers;
        for (const Toml& entry : value.list()) {
            if (!entry.isNumber() || !(entry.number() >= least && entry.number() <= most)) {
                complain(section, key, entry, must);
            }
            numbers.push_back(entry.number());
        }
        return numbers;
    }

    /// A number above zero.
    [[nodiscard]] std::optional<double> positive(const char* section, const char* key) const {
        const auto value = number(section, key);
        if (value && !(*value > 0.0)) {
            complain(section, key, *find(section, key), "a number above 0");
        }
        return value;
    }

    /// A whole number from 0 to `most`.
    [[nodiscard]] std::optional<int> count(const char* section, const char* key, int most) const {
        const auto value = number(section, key);
        if (value && (*value < 0.0 || *value > most || *value != std::floor(*value))) {
            complain(section,
                     key,
                     *find(section, key),
                     fmt::format("a whole number from 0 to {}", most));
        }
        return value ? std::optional(static_cast<int>(*value)) : std::nullopt;
    }

    /// Text of one line.
    [[nodiscard]] std::string text(const char* section, const char* key) const {
        const Toml* value = find(section, key);
        return value == nullptr ? std::string() : line(section, key, *value);
    }

    /// A list, or a single string as a list of one.
    [[nodiscard]] std::vector<std::string> list(const char* section, const char* key) const {
        const Toml* value = find(section, key);
        if (value == nullptr) {
            return {};
        }
        if (value->isText()) {
            return {line(section, key, *value)};
        }
        if (!value->isList()) {
            complain(section, key, *value, "text in quotes, or a list of such texts");
        }
        std::vector<std::string> texts;
        for (const Toml& entry : value->list()) {
            texts.push_back(line(section, key, entry));
        }
        return texts;
    }

    [[nodiscard]] bool flag(const char* section, const char* key, bool otherwise) const {
        const Toml* value = find(section, key);
        if (value != nullptr && !value->isFlag()) {
            complain(section, key, *value, "true or false, without quotes");
        }
        return value == nullptr ? otherwise : value->flag();
    }

    /// The tables of a section that may stand once or several times.
    [[nodiscard]] std::vector<Toml> tables(const char* section) const {
        if (!root_.contains(section)) {
            return {};
        }
        return root_.at(section).tables();
    }

    [[nodiscard]] fs::path resolve(const std::string& text) const {
        const fs::path path(text);
        return path.is_absolute() || text.empty() ? path : folder_ / path;
    }

  private:
    /// Names of people and places go into reports of fixed lines: no line break, no other control character.
    static std::string line(const char* section, const char* key, const Toml& value) {
        if (!value.isText()) {
            complain(section, key, value, "text in quotes");
        }
        std::string text = value.text();
        if (std::any_of(
                text.begin(), text.end(), [](unsigned char c) { return c < 0x20 || c == 0x7F; })) {
            complain(section, key, value, "text of one line");
        }
        return text;
    }

    const Toml& root_;
    fs::path folder_;
};

/// What an ADES report may call a detector.
constexpr std::array kDetectors{"CCD", "CMO", "VID", "PHO", "ENC", "PMT", "MIC", "MER", "TDI"};

/// An observatory code: three letters and digits.
bool isSiteCode(const std::string& code) {
    return code.size() == 3 && std::all_of(code.begin(), code.end(), [](unsigned char c) {
               return std::isalnum(c) != 0;
           });
}

void readReport(const Document& document, Recipe& recipe) {
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
    head.telescopeDesign = document.find("report", "telescope") != nullptr
                               ? document.text("report", "telescope")
                               : equipment.telescope;
    if (const auto aperture = document.numberIn("report", "aperture_m", 0.001, 100.0)) {
        head.aperture = fmt::format("{}", *aperture);
    }
    head.detector = document.text("report", "detector");
    if (!head.detector.empty() &&
        std::find(kDetectors.begin(), kDetectors.end(), head.detector) == kDetectors.end()) {
        Document::complain("report",
                           "detector",
                           *document.find("report", "detector"),
                           fmt::format("one of {}", fmt::join(kDetectors, ", ")));
    }
    recipe.measure.band = document.text("report", "band");
    if (document.find("report", "formats") != nullptr) {
        recipe.formats = document.list("report", "formats");
        if (recipe.formats.empty()) {
            Document::complain("report",
                               "formats",
                               *document.find("report", "formats"),
                               "a list of psv, xml and 80 with one of them at least");
        }
    }
}

/// One of several words, or an error that names them.
template <typename T, std::size_t N>
Result<T> oneOf(const std::string& text,
                const char* key,
                const std::array<std::pair<const char*, T>, N>& known,
                const fs::path& path) {
    std::string names;
    for (const auto& [word, value] : known) {
        if (text == word) {
            return value;
        }
        names += (names.empty() ? "" : ", ") + std::string(word);
    }
    return fail(bad(path, fmt::format("[calibration] {} knows {}, not '{}'.", key, names, text)));
}

Result<GradientSettings> readGradient(const Document& document, const fs::path& path) {
    GradientSettings gradient;
    const Toml* value = document.find("calibration", "gradient");
    if (value == nullptr) {
        return gradient;
    }
    gradient.removed = true;
    if (value->isWhole() && value->number() >= 1.0 && value->number() <= 4.0) {
        gradient.degree = value->whole();
    } else if (value->isText() && value->text() == "spline") {
        gradient.degree = 0;
    } else if (value->isText() && value->text() == "none") {
        gradient.removed = false;
    } else {
        return fail(
            bad(path, "[calibration] gradient is a degree from 1 to 4, \"spline\" or \"none\"."));
    }
    if (const std::string per = document.text("calibration", "gradient_per"); !per.empty()) {
        const auto series =
            oneOf<bool, 2>(per, "gradient_per", {{{"frame", false}, {"series", true}}}, path);
        if (!series) {
            return fail(series.error());
        }
        gradient.perSeries = *series;
    }
    return gradient;
}

/// [calibration] protect: a list of [x, y, radius].
void readProtected(const Document& document, CalibrationSettings& settings) {
    const Toml* list = document.find("calibration", "protect");
    if (list == nullptr) {
        return;
    }
    const auto complain = [&] {
        Document::complain(
            "calibration", "protect", *list, "a list of [x, y, radius] in pixels of the raw frame");
    };
    if (!list->isList()) {
        complain();
    }
    for (const Toml& disc : list->list()) {
        if (!disc.isList() || disc.list().size() != 3) {
            complain();
        }
        std::array<double, 3> values{};
        for (std::size_t i = 0; i < 3; ++i) {
            const Toml& value = disc.list()[i];
            if (!value.isNumber() || !std::isfinite(value.number())) {
                complain();
            }
            values[i] = value.number();
        }
        if (values[2] <= 0.0) {
            complain();
        }
        settings.protect.push_back({frame::fromFits({values[0], values[1]}), values[2]});
    }
}

std::string textOr(const Toml& table, const char* key) {
    const Toml* value = table.find(key);
    return value != nullptr && value->isText() ? value->text() : std::string();
}

Result<bool> readExclusions(const Document& document, const fs::path& path, Recipe& recipe) {
    for (const Toml& table : document.tables("exclude")) {
        ExclusionRule rule;
        const auto quality = qualityNamed(textOr(table, "quality"));
        if (!quality || table.contains("above") == table.contains("below")) {
            return fail(bad(
                path,
                "[[exclude]] needs a quality (fwhm, sky, noise, elongation, stars, transparency, "
                "drift) and one of above and below."));
        }
        rule.quality = *quality;
        rule.above = table.contains("above");
        const Toml& limit = table.at(rule.above ? "above" : "below");
        if (!limit.isNumber()) {
            Document::complain("exclude", rule.above ? "above" : "below", limit, "a number");
        }
        rule.limit = limit.number();
        const std::string of = textOr(table, "of");
        if (!of.empty() && of != "median") {
            return fail(bad(
                path,
                "[[exclude]] of knows \"median\" only; without it the limit is in its own unit."));
        }
        rule.timesMedian = of == "median";
        recipe.exclusions.push_back(rule);
    }
    return true;
}

Result<bool> readCalibration(const Document& document, const fs::path& path, Recipe& recipe) {
    CalibrationSettings& settings = recipe.calibration;
    settings.electronsPerAdu = document.positive("camera", "gain_e_per_adu");
    settings.readNoiseElectrons = document.numberIn("camera", "read_noise_e", 0.0, 1e6);
    settings.saturationAdu = document.positive("camera", "saturation_adu");
    if (const std::string text = document.text("calibration", "combination"); !text.empty()) {
        settings.combination = combine::combinationNamed(text);
        if (!settings.combination) {
            return fail(bad(path,
                            fmt::format("[calibration] combination knows {}, not '{}'.",
                                        combine::combinationNames(),
                                        text)));
        }
    }
    settings.library = document.resolve(document.text("calibration", "library"));
    if (const std::string text = document.text("calibration", "without_flats"); !text.empty()) {
        const auto chosen = withoutFlatsNamed(text);
        if (!chosen) {
            return fail(bad(path,
                            fmt::format("[calibration] without_flats knows leave, sky and level, "
                                        "not '{}'.",
                                        text)));
        }
        settings.withoutFlats = *chosen;
    }
    settings.levelElectrons = document.positive("calibration", "level_e");
    if (const std::string text = document.text("calibration", "colour"); !text.empty()) {
        const auto colour = calibrate::colourNamed(text);
        if (!colour || *colour == calibrate::Colour::Keep || *colour == calibrate::Colour::Full) {
            return fail(
                bad(path,
                    fmt::format("[calibration] colour knows sum, red, green and blue, not '{}'.",
                                text)));
        }
        settings.colour = *colour;
    }
    const auto gradient = readGradient(document, path);
    if (!gradient) {
        return fail(gradient.error());
    }
    settings.gradient = *gradient;
    readProtected(document, settings);
    if (const fs::path marks = document.resolve(document.text("calibration", "protect_marks"));
        !marks.empty()) {
        auto read = readProtectedMarks(marks);
        if (!read) {
            return fail(read.error());
        }
        settings.protectMarks = std::move(*read);
    }
    settings.writesVariance = document.flag("calibration", "variance", false);
    settings.masksHits = document.flag("calibration", "particle_hits", true);
    for (const auto& [key, kind] : {std::pair{"bias", frame::FrameKind::Bias},
                                    std::pair{"dark", frame::FrameKind::Dark},
                                    std::pair{"flat", frame::FrameKind::Flat},
                                    std::pair{"flat_dark", frame::FrameKind::FlatDark},
                                    std::pair{"light", frame::FrameKind::Light}}) {
        for (const std::string& part : document.list("kinds", key)) {
            recipe.rules.kinds.emplace_back(part, kind);
        }
    }
    for (const auto& [key, role] : {std::pair{"bias", calibrate::Role::Bias},
                                    std::pair{"dark", calibrate::Role::Dark},
                                    std::pair{"flat", calibrate::Role::Flat},
                                    std::pair{"flat_dark", calibrate::Role::FlatDark}}) {
        for (const std::string& part : document.list("masters", key)) {
            settings.use.push_back({role, {}, part == "none" ? std::string() : part});
        }
    }
    return readExclusions(document, path, recipe);
}

Result<bool>
readCandidates(const Document& document, const fs::path& path, CandidateSettings& candidates) {
    candidates.search = document.flag("candidates", "search", candidates.search);
    candidates.slowestArcsecPerMin = document.number("candidates", "slowest_arcsec_per_min")
                                         .value_or(candidates.slowestArcsecPerMin);
    candidates.fastestArcsecPerMin = document.number("candidates", "fastest_arcsec_per_min")
                                         .value_or(candidates.fastestArcsecPerMin);
    if (!(candidates.slowestArcsecPerMin > 0.0) ||
        !(candidates.fastestArcsecPerMin > candidates.slowestArcsecPerMin)) {
        return fail(bad(path,
                        "[candidates] slowest_arcsec_per_min must be above 0 and below "
                        "fastest_arcsec_per_min."));
    }
    return true;
}

Result<Recipe> fill(const Document& document, const fs::path& path) {
    Recipe recipe;
    const fs::path equipment = document.resolve(document.text("equipment", "file"));
    auto rules = equipment.empty() ? frame::observersRules() : frame::readEquipment(equipment);
    if (!rules) {
        return fail(rules.error());
    }
    recipe.rules = std::move(*rules);
    recipe.site.code = document.text("site", "code");
    if (const auto* code = document.find("site", "code");
        code != nullptr && !isSiteCode(recipe.site.code)) {
        Document::complain("site",
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
            bad(path,
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
    if (auto read = readCalibration(document, path, recipe); !read) {
        return fail(read.error());
    }
    recipe.catalogStore = document.resolve(document.text("catalog", "store"));
    recipe.catalogName = document.text("catalog", "name");
    if (recipe.catalogStore.empty() || recipe.catalogName.empty()) {
        return fail(bad(path, "[catalog] needs store and name."));
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
            Document::complain("bodies",
                               "names",
                               *document.find("bodies", "names"),
                               "\"in reach\" alone, or designations such as \"2034 EW2\"");
        }
    }
    constexpr double widest = 3600.0;
    constexpr int mostGroups = 100000;
    recipe.measure.searchArcsec = document.numberIn("bodies", "search_arcsec", 0.01, widest)
                                      .value_or(recipe.measure.searchArcsec);
    if (const Toml* radii = document.find("bodies", "apertures_arcsec")) {
        recipe.measure.comet.aperturesArcsec =
            Document::numbersIn("bodies", "apertures_arcsec", *radii, 0.1, widest);
    }
    if (const std::string text = document.text("bodies", "comet_centroid"); !text.empty()) {
        const auto centroid = measure::comaCentroidNamed(text);
        if (!centroid) {
            return fail(bad(
                path,
                fmt::format(
                    "[bodies] comet_centroid knows coma, peak, symmetry and isophote, not '{}'.",
                    text)));
        }
        recipe.measure.comet.centroid = *centroid;
    }
    recipe.stackGroups = document.count("stack", "groups", mostGroups).value_or(0);
    recipe.faintGroups =
        document.count("stack", "faint_groups", mostGroups).value_or(recipe.faintGroups);
    readReport(document, recipe);
    for (const std::string& format : recipe.formats) {
        if (format != "psv" && format != "xml" && format != "80") {
            return fail(bad(
                path, fmt::format("[report] formats knows psv, xml and 80, not '{}'.", format)));
        }
    }
    return recipe;
}

} // namespace

Result<Recipe> readRecipe(const fs::path& path) {
    std::error_code status;
    if (!fs::is_regular_file(path, status)) {
        return fail(
            bad(path, "The recipe does not exist; 'pathmark demo' writes one to start from."));
    }
    try {
        const auto text = readWholeFile(path);
        if (!text) {
            return fail(bad(path, "The recipe cannot be read."));
        }
        const Toml root = Toml::parse(*text, "recipe");
        if (const auto unknown = unknownKey(root.table())) {
            return fail(bad(path, *unknown));
        }
        return fill(Document(root, fs::absolute(path).parent_path()), path);
    } catch (const BadValue& error) {
        return fail(bad(path, error.what()));
    } catch (const TomlError& error) {
        return fail(bad(path,
                        error.isSyntax
                            ? fmt::format("Line {} is no TOML: {}.", error.line, error.what())
                            : fmt::format("Cannot be read as a recipe: {}.", error.what())));
    }
}

} // namespace pathmark::night
