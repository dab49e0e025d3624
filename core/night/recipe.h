#pragma once

#include "core/base/result.h"
#include "core/frame/equipment.h"
#include "core/frame/frame_info.h"
#include "core/measure/comet.h"
#include "core/night/calibration_settings.h"
#include "core/night/quality.h"
#include "core/night/sky_tables.h"
#include "core/report/observation.h"

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace pathmark::night {

/// Which moving sources of no known body are listed.
struct CandidateSettings {
    bool search = true;
    double slowestArcsecPerMin = 0.05; ///< slower ones are taken for stars
    double fastestArcsecPerMin = 8.0;  ///< faster ones cost time and bring chance tracks
};

/// When a measurement is parked for an eye; the other reasons are of what was measured, not of taste.
struct ReviewRules {
    double leastSnr = 5.0;
    double brighterMag =
        1.5; ///< than the orbit says: light curves and old magnitudes seldom account for more
    double passingMag =
        2.5; ///< another body beside the light matters if it is not fainter than that by more

    /// Why a measurement needs an eye by its signal-to-noise; empty: it does not.
    [[nodiscard]] std::string doubtOfSnr(double snr) const;
};

/// How bodies are measured.
struct MeasureSettings {
    double searchArcsec = 5.0; ///< how far from its prediction a body may be found
    std::string band;          ///< letter in the report; empty: from the filter
    measure::CometOptions comet{{5.0, 10.0, 20.0, 30.0, 60.0}};
    ReviewRules review;
};

/// What a night is to be made into; read from TOML (see docs/command-line.md).
struct Recipe {
    frame::Site site; ///< the Earth's centre where it is not known
    bool siteKnown = true;
    CalibrationSettings calibration;
    frame::ReadingRules rules; ///< of the equipment named, else of the observer's own; with [kinds]
    std::vector<ExclusionRule> exclusions;
    std::filesystem::path catalogStore;
    std::string catalogName;
    bool ownStars =
        false; ///< there is no catalogue: frames are laid on each other by their own stars
    std::string catalogAdesName = "Gaia3"; ///< how the report names the catalogue
    std::vector<std::filesystem::path> orbitFiles;
    SkyTableFiles skyTables;
    std::filesystem::path orbitIndex; ///< folder; empty: the orbit files are read each time
    std::vector<std::filesystem::path> observationFiles; ///< of other nights, for orbits
    std::vector<std::filesystem::path> siteCodeFiles;    ///< lists of observatory codes
    std::vector<std::string> bodies;                     ///< empty: all within reach
    MeasureSettings measure;
    int stackGroups = 0; ///< stacks in time per body and series; 0: single frames
    int faintGroups = 3; ///< stacks for bodies too faint for one frame when stackGroups is 0
    CandidateSettings candidates;
    bool picturesOfComets = true; ///< a picture is joined of each that is seen
    report::ReportHead head;
    std::vector<std::string> formats{"psv", "xml", "80"};
    std::vector<std::string> notes; ///< what was taken for granted, in words
};

/// Reads a recipe; relative paths count from the recipe's own folder.
///
/// Errors   night.bad_recipe  not TOML, a wrong type, or an unknown key, naming the nearest known one
Result<Recipe> readRecipe(const std::filesystem::path& path);

} // namespace pathmark::night
