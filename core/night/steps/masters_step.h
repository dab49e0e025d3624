#pragma once

#include "core/calibrate/dark_scale.h"
#include "core/calibrate/groups.h"
#include "core/calibrate/master.h"
#include "core/calibrate/match.h"
#include "core/night/decisions.h"
#include "core/night/records.h"

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

struct CalibrationRun;

/// A master on disk.
struct MasterFile {
    std::filesystem::path path;
    std::string key;
};

/// The masters of one series of lights and what they were made from. Pixels stay on disk until the series is
/// in hand.
struct SeriesCalibration {
    std::map<calibrate::Role, MasterFile> masters;
    std::optional<calibrate::DarkScale> darkScale;
    frame::NoiseModel noise;
    calibrate::MasterMatch match;
    std::string
        withoutFlats; ///< what was done for want of flats, in words; empty where there are some
    bool levelled = false; ///< each frame is brought to a smooth background

    /// True where a frame's pixels depend on the others of the series: defects found in the lights, a common gradient.
    bool sharesPixels = false;
};

/// A night's groups with what feeds each series of lights.
struct NightMatch {
    std::vector<calibrate::FrameGroup> groups;            ///< those of the library too
    std::map<std::size_t, calibrate::MasterMatch> series; ///< by index of the group of lights
};

/// One series with its calibration.
struct Series {
    calibrate::FrameGroup lights;
    SeriesCalibration calibration;
    std::shared_ptr<const NightMatch> night; ///< the groups that the match speaks of
};

/// So many lights without darks tell which pixels are hot.
constexpr std::size_t kFewestForDefects = 5;

/// What a light of a group is, as far as its header and its place in the night tell.
TakenPart takenPart(const frame::FrameInfo& info, const calibrate::FrameGroup& group);

/// Sorts frames and the library's masters into groups and matches them, as the observer decided. Frames that were in a
/// group before keep it: `known` are the groups of an earlier time.
NightMatch matchNight(std::span<const frame::FrameInfo> frames,
                      std::span<const frame::FrameInfo> library,
                      const MatchDecisions& decisions,
                      std::span<const calibrate::Override> use,
                      const std::map<FrameId, SeriesId>& known = {});

/// Sorts the frames of the run and builds the masters that its lights need.
///
/// Errors   night.no_lights, base.*, night.cannot_store
Result<bool> mastersStep(CalibrationRun& run);

} // namespace pathmark::night
