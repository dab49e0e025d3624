#pragma once

#include "core/frame/frame_info.h"
#include "core/frame/header_table.h"

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace pathmark::frame {

/// What an observer knows of a camera and its headers do not say, or say wrongly.
struct CameraProfile {
    std::string name;                ///< as the header names it (INSTRUME), or part of it
    double clockOffsetSeconds = 0.0; ///< the camera's clock minus UTC; taken off every time
    double rowSeconds = 0.0;         ///< delay of each row against the one before (rolling shutter)
    std::optional<double> electronsPerAdu;
    std::optional<double> readNoiseElectrons;
    std::optional<double> darkElectronsPerSecond; ///< dark current of a pixel
    std::optional<double> linearLimitAdu;         ///< from here on not to be trusted
    std::optional<double> saturationAdu;          ///< no pixel is brighter
    std::string bayerPattern; ///< of the file's rows as they stand; overrules the header
    std::string detector;     ///< as reports call its kind, e.g. "CMO"
    std::string site;         ///< name of the site where it stands; empty: not known

    friend bool operator==(const CameraProfile&, const CameraProfile&) = default;
};

/// What an observer knows of a telescope.
struct TelescopeProfile {
    std::string name;   ///< as the header names it (TELESCOP), or part of it; empty: of every frame
    std::string design; ///< as reports call it, e.g. "Reflector"
    std::optional<double> apertureMetres;
    std::optional<double> focalMillimetres; ///< counts where the header has none

    friend bool operator==(const TelescopeProfile&, const TelescopeProfile&) = default;
};

/// A named observing site.
struct SiteProfile {
    std::string name;
    Site site;

    friend bool operator==(const SiteProfile&, const SiteProfile&) = default;
};

/// A target whose headers do not say where the telescope pointed.
struct FieldProfile {
    std::string name; ///< as the header names it (OBJECT)
    SkyPos centre;

    friend bool operator==(const FieldProfile& a, const FieldProfile& b) {
        return a.name == b.name && a.centre.longitude == b.centre.longitude &&
               a.centre.latitude == b.centre.latitude;
    }
};

/// Star catalogue and orbits that were chosen; empty: those that are fetched.
struct DataProfile {
    std::filesystem::path store;
    std::string catalog;
    std::vector<std::filesystem::path> orbits;

    friend bool operator==(const DataProfile&, const DataProfile&) = default;
};

/// What is entered once and used everywhere.
struct Equipment {
    std::vector<CameraProfile> cameras;
    std::vector<TelescopeProfile> telescopes;
    std::vector<SiteProfile> sites;
    std::vector<FieldProfile> fields;
    DataProfile data;
    std::vector<std::string> observers;
    std::vector<std::string> measurers;

    /// The profile of a camera or telescope by its whole name, else by a part of it; null: none.
    [[nodiscard]] const CameraProfile* camera(const std::string& name) const;
    [[nodiscard]] const TelescopeProfile* telescope(const std::string& name) const;

    friend bool operator==(const Equipment&, const Equipment&) = default;
};

/// How headers are read: the words, the cameras, and what the observer overruled.
struct ReadingRules {
    HeaderTable words = HeaderTable::builtIn();
    Equipment equipment;
    /// A kind for all files whose path holds a text, e.g. {"twilight/", Flat}; the last that fits counts.
    std::vector<std::pair<std::string, FrameKind>> kinds;
};

/// Reads an equipment file (docs/file-formats.md): [[camera]], [[telescope]], [[site]], [[field]], [data], [observer], [header.*].
///
/// Errors   frame.bad_equipment  missing, not TOML, an unknown section or key, a wrong type, a value that cannot be
Result<ReadingRules> readEquipment(const std::filesystem::path& path);

/// The same as the text of such a file, without header words.
std::string equipmentText(const Equipment& equipment);

/// Whether every value of it can be.
///
/// Errors   frame.bad_equipment
Result<bool> checkEquipment(const Equipment& equipment);

/// The observer's own file `pathmark/equipment.toml` in the folder for settings; nothing where it does not exist.
///
/// Errors   frame.bad_equipment
Result<Equipment> ownEquipment();

/// Profiles with others over them, name by name.
Equipment laidOver(Equipment below, const Equipment& above);

/// What was entered in the window or told to a run: `pathmark/profiles.toml` in the folder for settings. The program writes it; nothing
/// where it does not exist.
///
/// Errors   frame.bad_equipment
Result<Equipment> keptProfiles();

/// Writes them.
///
/// Errors   frame.bad_equipment  a value that cannot be; base.cannot_write, base.disk_full
Result<bool> keepProfiles(const Equipment& profiles);

/// The kept profiles, and over them, name by name, the observer's own file `pathmark/equipment.toml` beside them.
///
/// Errors   frame.bad_equipment
Result<ReadingRules> observersRules();

} // namespace pathmark::frame
