#include "core/frame/equipment.h"

#include "core/base/atomic_file.h"
#include "core/base/text.h"
#include "core/base/toml.h"
#include "core/base/whole_file.h"
#include "core/frame/colour_pattern.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <map>
#include <stdexcept>

namespace pathmark::frame {
namespace fs = std::filesystem;

namespace {

Error bad(const fs::path& path, std::string why) {
    return {ErrorId::FrameBadEquipment, std::move(why), path.string()};
}

const std::map<std::string, std::vector<std::string>>& knownKeys() {
    static const std::map<std::string, std::vector<std::string>> keys{
        {"camera",
         {"name",
          "clock_offset_s",
          "row_delay_s",
          "gain_e_per_adu",
          "read_noise_e",
          "dark_current_e_per_s",
          "linear_limit_adu",
          "saturation_adu",
          "bayer",
          "detector",
          "site"}},
        {"telescope", {"name", "design", "aperture_m", "focal_length_mm"}},
        {"site",
         {"name",
          "code",
          "longitude_deg",
          "latitude_deg",
          "altitude_m",
          "rho_cos_phi",
          "rho_sin_phi"}},
        {"field", {"name", "ra_deg", "dec_deg"}},
        {"data", {"store", "catalog", "orbits"}},
        {"observer", {"telescope", "observers", "measurers"}},
        {"header", {}},
    };
    return keys;
}

std::optional<std::string> unknownKey(const Toml& root) {
    std::vector<std::string> sections;
    for (const auto& entry : knownKeys()) {
        sections.push_back(entry.first);
    }
    for (const auto& [section, content] : root.table()) {
        const auto known = knownKeys().find(section);
        if (known == knownKeys().end()) {
            return fmt::format("There is no section '{}'; did you mean '{}'?",
                               section,
                               nearestWord(section, sections));
        }
        if (section == "header") {
            continue;
        }
        if (auto unknown = unknownTomlKey(content, section, known->second)) {
            return unknown;
        }
    }
    return std::nullopt;
}

/// A number of a profile from `least` to `most`, where it stands.
std::optional<double> numberIn(const Toml& table, const char* key, double least, double most) {
    if (!table.contains(key)) {
        return std::nullopt;
    }
    const double number = table.at(key).number();
    if (!(number >= least && number <= most)) {
        throw std::runtime_error(
            fmt::format("'{}' must lie between {:g} and {:g}", key, least, most));
    }
    return number;
}

std::string textIn(const Toml& table, const char* key) {
    return table.contains(key) ? table.at(key).text() : std::string();
}

CameraProfile cameraFrom(const Toml& table) {
    constexpr double tiny = 1e-6;
    constexpr double huge = 1e9;
    CameraProfile camera;
    camera.name = table.at("name").text();
    camera.clockOffsetSeconds = numberIn(table, "clock_offset_s", -1e8, 1e8).value_or(0.0);
    camera.rowSeconds = numberIn(table, "row_delay_s", -1.0, 1.0).value_or(0.0);
    camera.electronsPerAdu = numberIn(table, "gain_e_per_adu", tiny, 1e6);
    camera.readNoiseElectrons = numberIn(table, "read_noise_e", 0.0, 1e5);
    camera.darkElectronsPerSecond = numberIn(table, "dark_current_e_per_s", 0.0, 1e6);
    camera.linearLimitAdu = numberIn(table, "linear_limit_adu", 1.0, huge);
    camera.saturationAdu = numberIn(table, "saturation_adu", 1.0, huge);
    camera.detector = textIn(table, "detector");
    camera.site = textIn(table, "site");
    camera.bayerPattern = textIn(table, "bayer");
    if (!camera.bayerPattern.empty() && !ColourPattern::of(camera.bayerPattern)) {
        throw std::runtime_error(
            fmt::format("'bayer' of {} is 4 or 36 letters of R, G and B, row by row", camera.name));
    }
    return camera;
}

TelescopeProfile telescopeFrom(const Toml& table) {
    TelescopeProfile telescope;
    telescope.name = textIn(table, "name");
    telescope.design = textIn(table, "design");
    telescope.apertureMetres = numberIn(table, "aperture_m", 0.001, 100.0);
    telescope.focalMillimetres = numberIn(table, "focal_length_mm", 1.0, 1e6);
    return telescope;
}

SiteProfile siteFrom(const Toml& table) {
    SiteProfile profile;
    profile.name = table.at("name").text();
    profile.site.code = textIn(table, "code");
    profile.site.longitude =
        Angle::degrees(numberIn(table, "longitude_deg", -360.0, 360.0).value_or(0.0));
    profile.site.latitude =
        Angle::degrees(numberIn(table, "latitude_deg", -90.0, 90.0).value_or(0.0));
    profile.site.altitudeMetres = numberIn(table, "altitude_m", -500.0, 12000.0).value_or(0.0);
    // The Earth's surface, and a few kilometres above it.
    const auto rhoCos = numberIn(table, "rho_cos_phi", 0.0, 1.01);
    const auto rhoSin = numberIn(table, "rho_sin_phi", -1.01, 1.01);
    if (rhoCos && rhoSin) {
        profile.site.parallaxConstants = {*rhoCos, *rhoSin};
    }
    return profile;
}

void fill(const Toml& root, Equipment& equipment) {
    const auto each = [&](const char* section, const auto& take) {
        if (root.contains(section)) {
            for (const Toml& table : root.at(section).tables()) {
                take(table);
            }
        }
    };
    each("camera", [&](const Toml& t) { equipment.cameras.push_back(cameraFrom(t)); });
    each("telescope", [&](const Toml& t) { equipment.telescopes.push_back(telescopeFrom(t)); });
    each("site", [&](const Toml& t) { equipment.sites.push_back(siteFrom(t)); });
    each("field", [&](const Toml& t) {
        equipment.fields.push_back(
            {t.at("name").text(),
             {Angle::degrees(numberIn(t, "ra_deg", 0.0, 360.0).value_or(0.0)),
              Angle::degrees(numberIn(t, "dec_deg", -90.0, 90.0).value_or(0.0))}});
    });
    if (root.contains("data")) {
        const Toml& table = root.at("data");
        equipment.data.store = textIn(table, "store");
        equipment.data.catalog = textIn(table, "catalog");
        if (table.contains("orbits")) {
            for (const std::string& file : table.at("orbits").texts()) {
                equipment.data.orbits.emplace_back(file);
            }
        }
    }
    if (root.contains("observer")) {
        const Toml& table = root.at("observer");
        if (const std::string design = textIn(table, "telescope"); !design.empty()) {
            equipment.telescopes.push_back({{}, design, {}, {}});
        }
        const auto list = [&](const char* key) {
            return table.contains(key) ? table.at(key).texts() : std::vector<std::string>();
        };
        equipment.observers = list("observers");
        equipment.measurers = list("measurers");
    }
}

/// The profile that has a name, else the last whose name is part of it.
template <typename Profile>
const Profile* profileOf(const std::vector<Profile>& profiles, const std::string& name) {
    const Profile* part = nullptr;
    for (const Profile& profile : profiles) {
        if (toLower(profile.name) == toLower(name)) {
            return &profile;
        }
        if (!profile.name.empty() &&
            toLower(name).find(toLower(profile.name)) != std::string::npos) {
            part = &profile;
        }
    }
    return part;
}

/// Lines of TOML: keys whose values are not empty.
class TomlLines {
  public:
    void head(const char* line) { text_ += std::string(text_.empty() ? "" : "\n") + line + "\n"; }

    void text(const char* key, const std::string& value) {
        if (!value.empty()) {
            text_ += fmt::format("{} = {}\n", key, tomlText(value));
        }
    }

    void number(const char* key, const std::optional<double>& value) {
        if (value) {
            text_ += fmt::format("{} = {}\n", key, *value);
        }
    }

    void degrees(const char* key, Angle value) {
        text_ += fmt::format("{} = {:.8f}\n", key, value.degrees());
    }

    void list(const char* key, const std::vector<std::string>& values) {
        std::string words;
        for (const std::string& value : values) {
            words += (words.empty() ? "" : ", ") + tomlText(value);
        }
        if (!words.empty()) {
            text_ += fmt::format("{} = [{}]\n", key, words);
        }
    }

    [[nodiscard]] const std::string& all() const { return text_; }

  private:
    std::string text_;
};

std::optional<double> unlessZero(double value) {
    return value != 0.0 ? std::optional(value) : std::nullopt;
}

/// Lays profiles over others, name by name.
template <typename Profile>
void layOver(std::vector<Profile>& below, const std::vector<Profile>& above) {
    for (const Profile& profile : above) {
        std::erase_if(below, [&](const Profile& b) { return b.name == profile.name; });
        below.push_back(profile);
    }
}

/// A file of the observer's, in pathmark/ of the folder for settings; empty where there is no such folder.
fs::path settingsFile(const char* name) {
    const char* settings = std::getenv("XDG_CONFIG_HOME");
    const char* home = std::getenv("HOME");
    const fs::path folder = settings != nullptr && *settings != '\0' ? fs::path(settings)
                            : home != nullptr                        ? fs::path(home) / ".config"
                                                                     : fs::path();
    return folder.empty() ? folder : folder / "pathmark" / name;
}

ReadingRules rulesFrom(const std::string& text, const fs::path& path) {
    ReadingRules rules;
    const Toml root = Toml::parse(text, path.string());
    if (const auto unknown = unknownKey(root)) {
        throw std::runtime_error(*unknown);
    }
    fill(root, rules.equipment);
    if (root.contains("header")) {
        if (auto read = rules.words.extend(root.at("header"), path.string()); !read) {
            throw std::runtime_error(read.error().detail);
        }
    }
    return rules;
}

Result<ReadingRules> readRules(const std::string& text, const fs::path& path) {
    try {
        return rulesFrom(text, path);
    } catch (const std::exception& error) {
        std::string why = error.what();
        return fail(bad(path, "Cannot be read: " + why + (why.ends_with('.') ? "" : ".")));
    }
}

/// What such a file of the observer's says; the plain rules where it does not exist.
Result<ReadingRules> rulesIn(const char* name) {
    const fs::path path = settingsFile(name);
    std::error_code status;
    return path.empty() || !fs::exists(path, status) ? Result<ReadingRules>(ReadingRules{})
                                                     : readEquipment(path);
}

} // namespace

const CameraProfile* Equipment::camera(const std::string& name) const {
    return profileOf(cameras, name);
}

const TelescopeProfile* Equipment::telescope(const std::string& name) const {
    const TelescopeProfile* own = profileOf(telescopes, name);
    return own != nullptr ? own : profileOf(telescopes, "");
}

Result<ReadingRules> readEquipment(const fs::path& path) {
    std::error_code status;
    if (!fs::is_regular_file(path, status)) {
        return fail(bad(path, "There is no such file."));
    }
    const auto text = readWholeFile(path);
    return text ? readRules(*text, path) : fail(bad(path, "Cannot be read."));
}

std::string equipmentText(const Equipment& equipment) {
    TomlLines lines;
    for (const CameraProfile& camera : equipment.cameras) {
        lines.head("[[camera]]");
        lines.text("name", camera.name);
        lines.number("clock_offset_s", unlessZero(camera.clockOffsetSeconds));
        lines.number("row_delay_s", unlessZero(camera.rowSeconds));
        lines.number("gain_e_per_adu", camera.electronsPerAdu);
        lines.number("read_noise_e", camera.readNoiseElectrons);
        lines.number("dark_current_e_per_s", camera.darkElectronsPerSecond);
        lines.number("linear_limit_adu", camera.linearLimitAdu);
        lines.number("saturation_adu", camera.saturationAdu);
        lines.text("bayer", camera.bayerPattern);
        lines.text("detector", camera.detector);
        lines.text("site", camera.site);
    }
    for (const TelescopeProfile& telescope : equipment.telescopes) {
        lines.head("[[telescope]]");
        lines.text("name", telescope.name);
        lines.text("design", telescope.design);
        lines.number("aperture_m", telescope.apertureMetres);
        lines.number("focal_length_mm", telescope.focalMillimetres);
    }
    for (const SiteProfile& profile : equipment.sites) {
        lines.head("[[site]]");
        lines.text("name", profile.name);
        lines.text("code", profile.site.code);
        lines.degrees("longitude_deg", profile.site.longitude);
        lines.degrees("latitude_deg", profile.site.latitude);
        lines.number("altitude_m", profile.site.altitudeMetres);
        if (const auto& constants = profile.site.parallaxConstants) {
            lines.number("rho_cos_phi", (*constants)[0]);
            lines.number("rho_sin_phi", (*constants)[1]);
        }
    }
    for (const FieldProfile& field : equipment.fields) {
        lines.head("[[field]]");
        lines.text("name", field.name);
        lines.degrees("ra_deg", normalised(field.centre.longitude));
        lines.degrees("dec_deg", field.centre.latitude);
    }
    if (equipment.data != DataProfile{}) {
        lines.head("[data]");
        lines.text("store", equipment.data.store.string());
        lines.text("catalog", equipment.data.catalog);
        std::vector<std::string> orbits;
        for (const fs::path& file : equipment.data.orbits) {
            orbits.push_back(file.string());
        }
        lines.list("orbits", orbits);
    }
    if (!equipment.observers.empty() || !equipment.measurers.empty()) {
        lines.head("[observer]");
        lines.list("observers", equipment.observers);
        lines.list("measurers", equipment.measurers);
    }
    return lines.all();
}

Result<bool> checkEquipment(const Equipment& equipment) {
    const auto read = readRules(equipmentText(equipment), {});
    return read ? Result<bool>(true) : fail(read.error());
}

Result<Equipment> keptProfiles() {
    auto rules = rulesIn("profiles.toml");
    return rules ? Result<Equipment>(std::move(rules->equipment)) : fail(rules.error());
}

Result<bool> keepProfiles(const Equipment& profiles) {
    const fs::path path = settingsFile("profiles.toml");
    const std::string text =
        "# Kept by Path Mark: what was entered in the window or told to a run. "
        "A file equipment.toml of yours beside it counts before this one.\n\n" +
        equipmentText(profiles);
    // What could not be read again is not written.
    if (auto good = checkEquipment(profiles); !good) {
        return good;
    }
    if (auto made = makeFolder(path.parent_path()); !made) {
        return made;
    }
    return writeWholeText(path, text);
}

Equipment laidOver(Equipment below, const Equipment& above) {
    layOver(below.cameras, above.cameras);
    layOver(below.telescopes, above.telescopes);
    layOver(below.sites, above.sites);
    layOver(below.fields, above.fields);
    if (above.data != DataProfile{}) {
        below.data = above.data;
    }
    if (!above.observers.empty()) {
        below.observers = above.observers;
    }
    if (!above.measurers.empty()) {
        below.measurers = above.measurers;
    }
    return below;
}

Result<Equipment> ownEquipment() {
    auto rules = rulesIn("equipment.toml");
    return rules ? Result<Equipment>(std::move(rules->equipment)) : fail(rules.error());
}

Result<ReadingRules> observersRules() {
    auto kept = keptProfiles();
    auto rules = rulesIn("equipment.toml");
    if (!kept || !rules) {
        return fail(kept ? rules.error() : kept.error());
    }
    rules->equipment = laidOver(std::move(*kept), rules->equipment);
    return rules;
}

} // namespace pathmark::frame
