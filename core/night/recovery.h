#pragma once

#include "core/night/sky_tables.h"
#include "core/night/sweep_lights.h"
#include "core/orbit/place/ephemeris.h"

#include <filesystem>
#include <span>
#include <vector>

// A lost body: one whose orbit is too badly known to stack on it. It is sought along the line on which its orbit may be off, over fields and
// nights that have nothing in common but that line.
namespace pathmark::night {

/// A body that is lost, and what its places follow from.
struct LostBody {
    const orbit::Elements& elements;
    const SkyTables& tables;
    const frame::Site& site;
};

/// What one field and night shows of a recovered body.
struct RecoveredField {
    std::vector<std::size_t> lights; ///< in order of time
    sweep::Candidate candidate;      ///< its motion in the middle of these
    std::vector<CandidateMeasurement> measured;
};

/// A place along the line where light is in all fields together.
struct RecoveredBody {
    orbit::Elements elements; ///< of the member of the family
    double snr = 0.0;
    double log10FalseAlarms = 0.0;
    double electrons = 0.0;   ///< of the first light
    double sigmasAlong = 0.0; ///< of the stated error, from the orbit as it stands
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
/// Model    The orbit moved along the direction of its covariance that moves it most on the sky over these frames, three standard
///          deviations to both sides, with all that pulls; two more directions where they move it by more than a third of a star's width,
///          linearly. Without a covariance the body may be a tenth of a day early or late. A field of fewer than four frames has its stars
///          in its light and is left out.
/// Source   Milani et al. 2005, A&A 431, 729 (line of variations).
/// Errors   sweep.no_motion  the line crosses no frames; orbit.*; those of sweep::searchPaths
Result<Recovery> recover(std::span<const StackLight> lights,
                         const LostBody& body,
                         double falseAlarms,
                         int groups,
                         const std::filesystem::path& folder,
                         const Job& job);

} // namespace pathmark::night
