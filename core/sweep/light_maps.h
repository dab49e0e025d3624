#pragma once

#include "core/base/file_memory.h"
#include "core/base/result.h"
#include "core/base/time.h"
#include "core/frame/image.h"
#include "core/stack/pixel_grid.h"
#include "core/sweep/frame_filter.h"

#include <cstdint>
#include <filesystem>
#include <span>
#include <vector>

namespace pathmark::sweep {

/// A frame of a sweep, as far as its pixels do not say it.
struct SweepFrame {
    frame::Wcs wcs;
    Utc middle;
    double exposureSeconds = 0.0;
    double fluxScale = 1.0;  ///< brings its values to the electrons of the reference frame
    double fwhmPixels = 0.0; ///< of its stars
    double beta = 3.0;       ///< of their Moffat profile
};

/// What one frame says of a point of light, place by place of the field.
struct LightMap {
    LargeArray<std::int16_t> light;  ///< weighted light; see LightMaps
    std::int16_t most = 0;           ///< of it that counts in a sum: kMostSigma
    LargeArray<std::uint8_t> weight; ///< information, in 1 / kFullWeight of the frame's usual
    double share = 0.0;              ///< of the information of all frames
    double fwhm = 0.0;               ///< of its stars, pixels of the field
};

inline constexpr int kFullWeight = 200;
inline constexpr double kMostSigma =
    4.5; ///< of a single frame, more of which counts as that much in a sum: one frame shall not make a body

/// Which map stands at a time, and by how many pixels it is moved.
struct Slot {
    std::size_t map = 0;
    int shiftX = 0;
    int shiftY = 0;
};

/// Frames of a field through matched filters, on one grid.
///
/// Model    N = sum P r / v and D = sum P^2 / v over the frame's own pixels, P its point-spread function, r and v light and variance
///          of a pixel; without value: no part of the sums. The light of a body over frames is sum N / sum D, its S/N sum N / sqrt(sum D).
///          N is kept as `light` so that the sum over frames is units() times the S/N where every frame has its usual
///          information; sums of what counts of all frames never leave 16 bits.
/// Source   King 1983, PASP 95, 163; Zackay & Ofek 2017, ApJ 836, 187 (weighted sums of matched filters).
class LightMaps {
  public:
    /// `frames` in the order of time. Motions can be planned as soon as this is made.
    LightMaps(stack::PixelGrid grid, std::vector<SweepFrame> frames);

    /// Maps that are taken from now on lie in files of a folder, and so does what is drawn from them; empty: in memory.
    void keepIn(std::filesystem::path folder) { folder_ = std::move(folder); }

    [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }

    /// Takes in the pixels of frame `i`; each once, then finish().
    void take(std::size_t i, const FramePixels& pixels);
    void finish();

    [[nodiscard]] const stack::PixelGrid& grid() const { return grid_; }

    [[nodiscard]] const std::vector<SweepFrame>& frames() const { return frames_; }

    [[nodiscard]] const LightMap& map(std::size_t i) const { return maps_[i]; }

    [[nodiscard]] double units() const { return units_; }

    /// Sum of D over frames of usual information, 1 / electrons^2 of the reference frame.
    [[nodiscard]] double information() const { return information_; }

    /// Times of the frames from -1 to 1; seconds from 0 to 1; the instant of 0.
    [[nodiscard]] const std::vector<double>& times() const { return times_; }

    [[nodiscard]] double unitSeconds() const { return unitSeconds_; }

    [[nodiscard]] const Utc& origin() const { return origin_; }

    /// Each map at its own time and place.
    [[nodiscard]] std::vector<Slot> asTheyAre() const;

    /// Takes what is known out of the maps of one frame: a disc without information.
    void blank(std::size_t i, frame::PixelPos centre, double radius);

  private:
    std::filesystem::path folder_;
    stack::PixelGrid grid_;
    std::vector<SweepFrame> frames_;
    std::vector<LightMap> maps_;
    std::vector<double> usual_; ///< D of each
    std::vector<double> times_;
    double unitSeconds_ = 1.0;
    Utc origin_;
    double units_ = 1.0;
    double information_ = 0.0;
};

} // namespace pathmark::sweep
