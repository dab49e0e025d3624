#pragma once

#include "core/identify/solved_frame.h"
#include "core/night/body_orbit.h"
#include "core/night/sweep_lights.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

// A body of tonight in frames of old nights: what its orbit leaves open says where to look, night by night from the nearest on, and each place
// that is found leaves less open for the next.
namespace pathmark::night {

/// What is sought, and where.
struct PrecoveryRequest {
    const OrbitSources& sources;
    BodyOrbitCase known; ///< its observations
    std::span<const identify::SolvedFrame> frames;
    std::filesystem::path wcsFolder; ///< of .wcs files, where frames have them not beside them
    frame::ReadingRules rules = {};
    double mostDegrees = 1.0;  ///< longest line, or cloud, that is searched
    double falseAlarms = 0.01; ///< places that chance may make on one night
    int groups = 1;            ///< places that are measured on a night
};

enum class PrecoveryOutcome {
    Outside, ///< no frame, or too few to tell what moves from what stands, looks where it may be
    TooUncertain, ///< it may be anywhere along more than is searched
    NotSeen,
    Found,
    Failed, ///< its frames cannot be searched
};

/// What one night of the archive says of it.
struct PrecoveryNight {
    Utc middle;
    PrecoveryOutcome outcome = PrecoveryOutcome::Outside;
    std::size_t frames = 0;   ///< that look where it may be
    SkyPos sky;               ///< where it is likeliest then
    double majorArcsec = 0.0; ///< one standard deviation of that
    double minorArcsec = 0.0;
    double snr = 0.0; ///< of what was found
    double log10FalseAlarms = 0.0;
    std::vector<CandidateMeasurement> measured;
    std::string words; ///< why it could not be searched
};

struct Precovery {
    std::vector<PrecoveryNight> nights; ///< in order of time
    std::optional<orbit::OrbitFit> fit; ///< with all that was found; absent: a cloud still
    std::vector<orbit::Observation> found;
};

/// Seeks a body in old frames.
///
/// Model    Nights are searched from the nearest to what is known of it. With one orbit: along the line of its error (recover), 3 standard
///          deviations to both sides. Where only a cloud of orbits agrees: all motions of the cloud (95 %) over the frames, and of what is
///          found what lies in the cloud. A place counts where an orbit fits it and all that is known, with residuals below 4 standard
///          deviations; the orbit is fitted anew with it.
/// Source   Milani et al. 2005, A&A 431, 729; Farnocchia, Chesley & Micheli 2015, Icarus 258, 18.
/// Errors   those of judgeBody; base.cancelled
Result<Precovery>
precover(const PrecoveryRequest& request, const std::filesystem::path& folder, const Job& job);

/// "outside", "too_uncertain", "not_seen", "found", "failed".
const char* name(PrecoveryOutcome outcome);

} // namespace pathmark::night
