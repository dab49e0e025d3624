#pragma once

#include "core/sweep/motion_zones.h"

#include <span>
#include <vector>

namespace pathmark::sweep {

/// A body's way over the field: a straight line, or one that bends a little, as near bodies' do.
struct Track {
    frame::PixelPos place; ///< where it is at LightMaps::origin()
    Velocity velocity;
    Velocity bend = {}; ///< pixels off the straight line at times -1 and 1

    [[nodiscard]] frame::PixelPos at(double time) const {
        return {place.x + (velocity.x + bend.x * time) * time,
                place.y + (velocity.y + bend.y * time) * time};
    }
};

/// What all frames together say of a track.
struct TrackLight {
    double light = 0.0;       ///< sum N, in units of the square root of the usual information
    double information = 0.0; ///< sum D, of the usual information

    [[nodiscard]] double snr() const;
};

/// A body that was found: its light counts for nothing else.
struct FoundBody {
    Track track;
    double radius =
        0.0; ///< of its light in a frame without a trail, until it is less than noise; pixels
    double speed = 0.0; ///< of its track
};

/// What one frame says of it.
struct FrameLight {
    double light = 0.0;
    double information = 0.0;
};

/// Light along tracks, exactly: between pixels, with each frame's own trail.
class Tracks {
  public:
    /// Must not outlive the maps.
    explicit Tracks(const LightMaps& maps) : Tracks(maps, maps.asTheyAre()) {}

    Tracks(const LightMaps& maps, std::vector<Slot> slots);

    [[nodiscard]] FrameLight in(std::size_t slot, const Track& track) const;

    /// Whether a frame has a track where a body's light is.
    [[nodiscard]] bool
    isTaken(std::size_t slot, const Track& track, std::span<const FoundBody> by) const;

    /// All frames, but where the track passes a body; a frame counts with kMostSigma at most, unless `wholly`.
    [[nodiscard]] TrackLight
    along(const Track& track, std::span<const FoundBody> without = {}, bool wholly = false) const;

    /// The track near by whose S/N is highest.
    ///
    /// Model    Search by a simplex over place and velocity, begun half a width and half a step of motion wide; of a body that
    ///          shows in single frames, or whose S/N is above `leastToBend`, once more by all its light, a bend with it.
    /// Source   Nelder & Mead 1965, Computer Journal 7, 308.
    [[nodiscard]] Track highest(const Track& from,
                                std::span<const FoundBody> without = {},
                                double leastToBend = 1e9) const;

    /// Whether a track is another's light too: nearer than a width in the middle of the frames and at both ends.
    [[nodiscard]] bool isSame(const Track& a, const Track& b) const;

    [[nodiscard]] const TrailForm& form() const { return form_; }

    /// Pixels that a track's trail in a frame goes, for each pixel of velocity.
    [[nodiscard]] double trailShare(std::size_t slot) const { return trailShares_[slot]; }

    /// A body of that S/N in a single frame, about.
    [[nodiscard]] FoundBody body(const Track& track, double frameSnr) const;

    /// How far a body's light reaches in a frame, from its place, until it is less than noise.
    [[nodiscard]] double reach(std::size_t slot, const FoundBody& body) const {
        return body.radius + 0.5 * trailShares_[slot] * body.speed;
    }

  private:
    [[nodiscard]] double informationOf(double trail) const;

    const LightMaps& maps_;
    std::vector<Slot> slots_;
    TrailForm form_;
    std::vector<double> trailShares_;
    std::vector<double> informationTable_; ///< of trails, by kTableStep widths
};

} // namespace pathmark::sweep
