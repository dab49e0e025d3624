#include "core/night/recipe_calibration.h"

#include "core/night/protected_sky.h"

#include <fmt/format.h>

#include <array>
#include <cmath>

namespace pathmark::night {
namespace fs = std::filesystem;

namespace {

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
    return fail(
        badRecipe(path, fmt::format("[calibration] {} knows {}, not '{}'.", key, names, text)));
}

Result<GradientSettings> readGradient(const RecipeDocument& document, const fs::path& path) {
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
        return fail(badRecipe(
            path, "[calibration] gradient is a degree from 1 to 4, \"spline\" or \"none\"."));
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
void readProtected(const RecipeDocument& document, CalibrationSettings& settings) {
    const Toml* list = document.find("calibration", "protect");
    if (list == nullptr) {
        return;
    }
    const auto complain = [&] {
        RecipeDocument::complain(
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

Result<bool> readExclusions(const RecipeDocument& document, const fs::path& path, Recipe& recipe) {
    for (const Toml& table : document.tables("exclude")) {
        ExclusionRule rule;
        const auto quality = qualityNamed(textOr(table, "quality"));
        if (!quality || table.contains("above") == table.contains("below")) {
            return fail(badRecipe(
                path,
                "[[exclude]] needs a quality (fwhm, sky, noise, elongation, stars, transparency, "
                "drift) and one of above and below."));
        }
        rule.quality = *quality;
        rule.above = table.contains("above");
        const Toml& limit = table.at(rule.above ? "above" : "below");
        if (!limit.isNumber()) {
            RecipeDocument::complain("exclude", rule.above ? "above" : "below", limit, "a number");
        }
        rule.limit = limit.number();
        const std::string of = textOr(table, "of");
        if (!of.empty() && of != "median") {
            return fail(badRecipe(
                path,
                "[[exclude]] of knows \"median\" only; without it the limit is in its own unit."));
        }
        rule.timesMedian = of == "median";
        recipe.exclusions.push_back(rule);
    }
    return true;
}

} // namespace

Result<bool> readCalibration(const RecipeDocument& document, const fs::path& path, Recipe& recipe) {
    CalibrationSettings& settings = recipe.calibration;
    settings.electronsPerAdu = document.positive("camera", "gain_e_per_adu");
    settings.readNoiseElectrons = document.numberIn("camera", "read_noise_e", 0.0, 1e6);
    settings.saturationAdu = document.positive("camera", "saturation_adu");
    if (const std::string text = document.text("calibration", "combination"); !text.empty()) {
        settings.combination = combine::combinationNamed(text);
        if (!settings.combination) {
            return fail(badRecipe(path,
                                  fmt::format("[calibration] combination knows {}, not '{}'.",
                                              combine::combinationNames(),
                                              text)));
        }
    }
    settings.library = document.resolve(document.text("calibration", "library"));
    if (const std::string text = document.text("calibration", "without_flats"); !text.empty()) {
        const auto chosen = withoutFlatsNamed(text);
        if (!chosen) {
            return fail(
                badRecipe(path,
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
            return fail(badRecipe(
                path,
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

} // namespace pathmark::night
