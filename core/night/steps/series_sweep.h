#pragma once

#include "core/night/product.h"
#include "core/night/steps/night_run.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

// One sweep over the frames of a series, on its own: searched, named and measured, or as it was stored. What the night makes of it is the step's.
namespace pathmark::night {

inline constexpr const char* kKeptSweeps = "sweep.kept"; ///< of searches that are not finished
inline constexpr const char* kSweepWork = "sweep.work";  ///< of frames on the way

/// One of the stacks on a candidate, as measured.
struct MeasuredStack {
    MeasurementRecord record;
    std::vector<FrameId> frames;
};

/// What one sweep leaves.
struct Swept {
    SweepRecord record;
    std::vector<std::vector<MeasuredStack>> measured; ///< of each body
};

/// The lights of a series that a sweep goes over, in order of time.
struct SweptSeries {
    std::vector<std::size_t> places; ///< in the run's lights
    std::vector<const LightRecord*> lights;
    double widthArcsec = 0.0; ///< of a star
    double halfSeconds = 0.0; ///< from the middle to the first and the last

    [[nodiscard]] std::vector<FrameId> frames() const {
        std::vector<FrameId> ids;
        ids.reserve(lights.size());
        for (const LightRecord* light : lights) {
            ids.push_back(light->frame);
        }
        return ids;
    }

    /// Where some of its frames stand in `lights`.
    [[nodiscard]] std::vector<std::size_t> membersOf(std::span<const FrameId> some) const {
        std::vector<std::size_t> members;
        for (std::size_t k = 0; k < lights.size(); ++k) {
            if (std::find(some.begin(), some.end(), lights[k]->frame) != some.end()) {
                members.push_back(k);
            }
        }
        return members;
    }
};

SweptSeries sweptSeries(const NightRun& run, const SeriesId& series);

/// The key of a sweep's product.
ProductKey sweepKey(const SweepWish& wish, const SweptSeries& series);

/// The key that a stack of a sweep carries.
std::string sweptStackKey(const std::string& sweep, const std::filesystem::path& stack);

/// From the night file, or anew; every body under a name of its own.
///
/// Errors   base.cancelled, night.*; those of readStackLight and sweepLights
Result<Swept> sweepOf(NightRun& run, const SweptSeries& series, const SweepWish& wish);

} // namespace pathmark::night
