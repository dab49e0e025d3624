#pragma once

#include "core/base/result.h"
#include "core/night/records.h"
#include "core/sweep/sweep.h"

#include <filesystem>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::night {

/// A frame of a sweep as far as its pixels do not say it.
struct SweepView {
    sweep::SweepFrame frame;
    int width = 0;
    int height = 0;
};

inline constexpr double kUsualStarPixels = 3.0; ///< of a width, where a light's stars tell of none

/// Frames in the order of time that lie at more than one time.
///
/// Errors   sweep.no_motion
Result<bool> checkTimes(std::span<const SweepView> views);

/// The field that a sweep of these frames is made on, without the pixels of its maps: it reaches over all frames; its pixels are two
/// fifths of a star's width.
///
/// Errors   sweep.no_motion  all frames are of one time; those of stack::canvasFor
Result<sweep::LightMaps> emptyMaps(std::span<const SweepView> views);

/// How long it takes about to make frames ready for a sweep on this machine: the unmoving sky out, twice, and filtered.
double secondsToPrepare(std::span<const SweepView> views);

/// What a sweep takes up, bytes.
struct SweepRoom {
    double memory = 0.0;
    double disk = 0.0;           ///< while it goes on
    bool hasMapsInFiles = false; ///< they would take more memory than a sweep may
};

/// Shapes   `mapBytes`: of the plan
SweepRoom roomFor(std::span<const SweepView> views, double mapBytes);

/// Errors   base.disk_full  the folder's disk has not that much left
Result<bool> checkRoom(const SweepRoom& room, const std::filesystem::path& folder);

/// The motions that are asked for, without those that no frame can tell from standing still.
sweep::MotionBounds boundsOf(const SweepWish& wish, const sweep::LightMaps& maps);

/// What a sweep of lights of a night would cost and show.
struct SweepOutlook {
    sweep::SweepPlan plan;
    double seconds = 0.0; ///< of all, about
    SweepRoom room;
    double leastRate = 0.0;      ///< below which a body stays with the stars, arcsec per minute
    std::optional<double> depth; ///< the magnitude of what reaches the threshold
};

/// Errors   those of emptyMaps and sweep::planOf
Result<SweepOutlook> outlookOf(std::span<const LightRecord* const> lights, const SweepWish& wish);

/// The magnitude at which a body's sum over lights is so many sigma; nothing where none has a zero point.
std::optional<double> depthOf(std::span<const LightRecord* const> lights, double snr);

} // namespace pathmark::night
