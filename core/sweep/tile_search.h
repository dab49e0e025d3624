#pragma once

#include "core/base/job.h"
#include "core/sweep/motion_tree.h"
#include "core/sweep/tracks.h"

#include <cstdint>
#include <functional>
#include <span>
#include <vector>

namespace pathmark::sweep {

/// A place and motion whose sum is high.
struct Hit {
    Track track;
    double snr = 0.0; ///< of the sum, for the information that there is about it
};

/// Which motions of a zone are tried: all, or blocks of 8 by 8 drawn by lot.
struct Sample {
    std::uint64_t seed = 0;
    double share = 1.0;

    [[nodiscard]] bool takes(std::size_t zone, int blockI, int blockJ) const;
};

/// The part of a zone's lattice that a motion belongs to.
struct Block {
    int i = 0;
    int j = 0;
};

/// Of the information of all frames, the share below which a sum is none.
inline constexpr double kLeastCoverage = 0.3;

/// Of a sum over all frames where partial sums are shared, about.
inline constexpr double kAdditionsOfSum = 2.2;

/// Blocks are this many motions along each side.
inline constexpr int kBlockSide = 8;

Block blockOf(const MotionZone& zone, const Velocity& velocity);

/// What a search has done.
struct SearchResult {
    std::vector<Hit> hits;
    double additions = 0.0; ///< of 16-bit numbers
};

/// All sums of a zone that are above a threshold.
class ZoneSearch {
  public:
    ZoneSearch(const LightMaps& maps, std::vector<Slot> slots, const MotionTree& tree);

    /// Takes up a zone: draws its trail into the maps.
    void enter(const MotionZone& zone, std::size_t index);

    [[nodiscard]] std::size_t tiles() const; ///< of the field

    /// Additions that a tile takes, about, where all motions are tried.
    [[nodiscard]] double additionsOfTile() const;

    /// Hits above `snr` in some of the tiles, of near ones in place and motion the highest.
    ///
    /// Model    Tile by tile of the field, through the motions in an order in which neighbours come one after the other, so that a
    ///          node of the tree adds its pixels once for all motions of a cell. Whole pixels: the mean of a node's frames is kept to
    ///          half a pixel.
    /// Threads  Tiles are shared out; hits are in the order of tiles.
    [[nodiscard]] SearchResult run(double snr,
                                   const Sample& sample,
                                   std::size_t firstTile,
                                   std::size_t endTile,
                                   const Job& job) const;

  private:
    friend class TileSearch;

    void drawTrail(std::size_t slot);
    void measureCoverage();

    const LightMaps& maps_;
    std::vector<Slot> slots_;
    const MotionTree& tree_;
    TrailForm form_;
    const MotionZone* zone_ = nullptr;
    std::size_t index_ = 0;
    std::vector<LargeArray<std::int16_t>> drawn_; ///< trailed maps
    std::vector<std::span<const std::int16_t>> lights_;
    std::vector<std::int16_t> mosts_; ///< of each that counts
    std::vector<double> shares_;
    double held_ = 1.0;                        ///< of kMostSigma, so that sums stay within 16 bits
    std::vector<std::vector<float>> coverage_; ///< by map, of blocks of kChunk pixels
    int coverageColumns_ = 0;
};

} // namespace pathmark::sweep
