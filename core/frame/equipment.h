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
    std::optional<double> linearLimitAdu; ///< from here on not to be trusted
    std::string bayerPattern; ///< of the file's rows as they stand; overrules the header
};

/// A named observing site.
struct SiteProfile {
    std::string name;
    Site site;
};

/// What is entered once and used everywhere.
struct Equipment {
    std::vector<CameraProfile> cameras;
    std::vector<SiteProfile> sites;
    std::string telescope;
    std::vector<std::string> observers;
    std::vector<std::string> measurers;
};

/// How headers are read: the words, the cameras, and what the observer overruled.
struct ReadingRules {
    HeaderTable words = HeaderTable::builtIn();
    Equipment equipment;
    /// A kind for all files whose path holds a text, e.g. {"twilight/", Flat}; the last that fits counts.
    std::vector<std::pair<std::string, FrameKind>> kinds;

    /// The profile of a camera, by its whole name or a part of it.
    [[nodiscard]] const CameraProfile* camera(const std::string& name) const;
};

/// Reads an equipment file (docs/file-formats.md): [[camera]], [[site]], [observer], [header.*].
///
/// Errors   frame.bad_equipment  missing, not TOML, an unknown section or key, a wrong type
Result<ReadingRules> readEquipment(const std::filesystem::path& path);

/// The observer's own file, `pathmark/equipment.toml` in the folder for settings, or the plain rules.
///
/// Errors   frame.bad_equipment
Result<ReadingRules> observersRules();

} // namespace pathmark::frame
