#pragma once

#include "core/night/lost_paths.h"

#include <filesystem>
#include <span>
#include <vector>

// A lost body: one whose orbit is too badly known to stack on it. It is sought along the line on which its orbit may be off, over fields and
// nights that have nothing in common but that line.
namespace pathmark::night {

/// What one field and night shows of a recovered body.
struct RecoveredField {
    std::vector<std::size_t> lights; ///< in order of time
    sweep::Candidate candidate;      ///< its motion in the middle of these
    std::vector<CandidateMeasurement> measured;
};

/// A place along the line where light is in all fields together.
struct RecoveredBody {
    double snr = 0.0;
    double log10FalseAlarms = 0.0;
    double electrons = 0.0; ///< of the first light
    double sigmasAlong =
        0.0; ///< of the stated error, from the orbit as it stands; of a cloud, thirds of it
    std::vector<RecoveredField> fields;
};

struct Recovery {
    double tried = 0.0; ///< members of the family
    double thresholdSnr = 0.0;
    std::size_t frames = 0;           ///< that the line crosses
    double pixels = 0.0;              ///< of these, as far as the line crosses them
    double seconds = 0.0;             ///< of the search
    std::vector<RecoveredBody> found; ///< the surest first
};

/// Seeks a body along the line of its orbit's error.
///
/// Model    The members of LostPaths, added along their paths (sweep::searchPaths). A field of fewer than four frames has its stars in its
///          light and is left out.
/// Errors   sweep.no_motion  the line crosses no frames; orbit.*; those of sweep::searchPaths
Result<Recovery> recover(std::span<const StackLight> lights,
                         const LostBody& body,
                         double falseAlarms,
                         int groups,
                         const std::filesystem::path& folder,
                         const Job& job);

} // namespace pathmark::night
