#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"
#include "core/identify/sky_source.h"

#include <span>
#include <vector>

namespace pathmark::identify {

/// The sources of one frame.
struct LinkFrame {
    Utc middle;
    std::vector<SkyPos> corners; ///< of what the frame saw, in order around it
    std::vector<SkySource> sources;
};

struct LinkOptions {
    double leastArcsecPerMin = 0.05; ///< slower ones are taken for stars
    double mostArcsecPerMin = 8.0;
    int leastFrames = 3;
    /// What has moved by less from the first to the last of its members may be stars that run together, whose common centroid
    /// follows the seeing and the frames' drift.
    double leastTravelArcsec = 0.0;
    /// How much a motion may bend, one sigma: the turning Earth gives 0.6" / h^2 over the distance in au.
    double bendArcsecPerHour2 = 0.6;
    /// Tracks are kept that chance makes less often than this in the whole field.
    double mostFalseTracks = 1.0;
    /// A source counts as standing still that is seen at its place in this share of the frames that looked there, or
    /// oftener than chance would bring another one there in one place of a hundred.
    double stillShare = 0.3;
};

/// Sources that move together.
struct Track {
    struct Member {
        std::size_t frame = 0;
        std::size_t source = 0;
    };

    std::vector<Member> members; ///< in order of time
    Utc reference;
    SkyPos place;                ///< at the reference time
    double xiArcsecPerMin = 0.0; ///< at the reference time
    double etaArcsecPerMin = 0.0;
    double rateSigma = 0.0; ///< one standard deviation along each axis
    double xiBend = 0.0;    ///< change of the rate, arcsec/min^2
    double etaBend = 0.0;
    double chiSquare = 0.0; ///< of the fitted motion
    int freedom = 0;
    int framesLooked = 0;        ///< frames whose field the motion crosses
    double falseTracksLog10 = 0; ///< expected number of tracks as good as this by chance

    /// Where the motion has the body at a time.
    [[nodiscard]] SkyPos at(const Utc& time) const;
};

/// Moving bodies from the sources of three and more frames, at any times and with any dither.
///
/// Model    Sources that stand still on the sky are taken away, stars among them. Pairs within the rate bounds are starts; each is followed
///          through all other frames by least squares (straight motion, with a bend held to its prior), the nearest
///          frame first, taking what lies within its growing certainty. A track counts by how often chance would
///          give as many hits as near to its middle: the sources left around a place are taken for a
///          random sprinkle, as dense as they are there. The best come first, and each source belongs to one track.
///          Misses count against it as if a body were seen in half of the frames.
/// Domain   Frames of one night; those of a field of up to some degrees.
/// Threads  Pure; shares its work out.
std::vector<Track> linkTracks(std::span<const LinkFrame> frames, const LinkOptions& options = {});

} // namespace pathmark::identify
