#include "core/frame/equipment.h"

#include "core/base/text.h"
#include "core/base/toml.h"
#include "core/base/whole_file.h"
#include "core/frame/colour_pattern.h"

#include <fmt/format.h>

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
          "linear_limit_adu",
          "bayer"}},
        {"site", {"name", "code", "longitude_deg", "latitude_deg", "altitude_m"}},
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

std::optional<double> numberIn(const Toml& table, const char* key) {
    return table.contains(key) ? std::optional(table.at(key).number()) : std::nullopt;
}

std::string textIn(const Toml& table, const char* key) {
    return table.contains(key) ? table.at(key).text() : std::string();
}

CameraProfile cameraFrom(const Toml& table) {
    CameraProfile camera;
    camera.name = table.at("name").text();
    camera.clockOffsetSeconds = numberIn(table, "clock_offset_s").value_or(0.0);
    camera.rowSeconds = numberIn(table, "row_delay_s").value_or(0.0);
    camera.electronsPerAdu = numberIn(table, "gain_e_per_adu");
    camera.readNoiseElectrons = numberIn(table, "read_noise_e");
    camera.linearLimitAdu = numberIn(table, "linear_limit_adu");
    camera.bayerPattern = textIn(table, "bayer");
    if (!camera.bayerPattern.empty() && !ColourPattern::of(camera.bayerPattern)) {
        throw std::runtime_error(
            fmt::format("'bayer' of {} is 4 or 36 letters of R, G and B, row by row", camera.name));
    }
    return camera;
}

SiteProfile siteFrom(const Toml& table) {
    SiteProfile profile;
    profile.name = table.at("name").text();
    profile.site.code = textIn(table, "code");
    profile.site.longitude = Angle::degrees(numberIn(table, "longitude_deg").value_or(0.0));
    profile.site.latitude = Angle::degrees(numberIn(table, "latitude_deg").value_or(0.0));
    profile.site.altitudeMetres = numberIn(table, "altitude_m").value_or(0.0);
    return profile;
}

void fill(const Toml& root, Equipment& equipment) {
    if (root.contains("camera")) {
        for (const Toml& table : root.at("camera").list()) {
            equipment.cameras.push_back(cameraFrom(table));
        }
    }
    if (root.contains("site")) {
        for (const Toml& table : root.at("site").list()) {
            equipment.sites.push_back(siteFrom(table));
        }
    }
    if (root.contains("observer")) {
        const Toml& table = root.at("observer");
        equipment.telescope = textIn(table, "telescope");
        const auto list = [&](const char* key) {
            return table.contains(key) ? table.at(key).texts() : std::vector<std::string>();
        };
        equipment.observers = list("observers");
        equipment.measurers = list("measurers");
    }
}

} // namespace

const CameraProfile* ReadingRules::camera(const std::string& name) const {
    const CameraProfile* part = nullptr;
    for (const CameraProfile& camera : equipment.cameras) {
        if (toLower(camera.name) == toLower(name)) {
            return &camera;
        }
        if (!camera.name.empty() && toLower(name).find(toLower(camera.name)) != std::string::npos) {
            part = &camera;
        }
    }
    return part;
}

Result<ReadingRules> readEquipment(const fs::path& path) {
    std::error_code status;
    if (!fs::is_regular_file(path, status)) {
        return fail(bad(path, "There is no such file."));
    }
    ReadingRules rules;
    try {
        const auto text = readWholeFile(path);
        if (!text) {
            return fail(bad(path, "Cannot be read."));
        }
        const Toml root = Toml::parse(*text, path.string());
        if (const auto unknown = unknownKey(root)) {
            return fail(bad(path, *unknown));
        }
        fill(root, rules.equipment);
        if (root.contains("header")) {
            if (auto read = rules.words.extend(root.at("header"), path.string()); !read) {
                return fail(read.error());
            }
        }
    } catch (const std::exception& error) {
        return fail(bad(path, std::string("Cannot be read: ") + error.what() + "."));
    }
    return rules;
}

Result<ReadingRules> observersRules() {
    const char* settings = std::getenv("XDG_CONFIG_HOME");
    const char* home = std::getenv("HOME");
    const fs::path folder = settings != nullptr && *settings != '\0' ? fs::path(settings)
                            : home != nullptr                        ? fs::path(home) / ".config"
                                                                     : fs::path();
    const fs::path path = folder / "pathmark" / "equipment.toml";
    std::error_code status;
    if (folder.empty() || !fs::exists(path, status)) {
        return ReadingRules{};
    }
    return readEquipment(path);
}

} // namespace pathmark::frame
