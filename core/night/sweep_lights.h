#pragma once

#include "core/measure/measure_body.h"
#include "core/night/same_field.h"
#include "core/night/stack_lights.h"
#include "core/night/sweep_field.h"
#include "core/stack/still_sky.h"
#include "core/sweep/sweep.h"

#include <filesystem>
#include <functional>
#include <span>
#include <vector>

namespace pathmark::night {

/// One of several stacks on a candidate's motion.
struct CandidateMeasurement {
    Utc middle;
    std::vector<std::size_t> members; ///< lights that were added
    std::filesystem::path stack;
    double fwhmPixels = 0.0; ///< of a star on it
    measure::Measured measured;
};

/// Where a stack on a candidate's motion is to lie, and the key that it carries.
struct CandidateStackFile {
    std::filesystem::path path;
    std::string key;
};

/// Asked for each candidate, by its place among all, and the lights of each of its stacks.
using CandidateStackFiles = std::function<CandidateStackFile(
    const sweep::Candidate&, std::size_t, std::span<const std::size_t>)>;

std::vector<SweepView> sweepViews(std::span<const StackLight> lights);

FieldOfView fieldOfView(const StackLight& light);

/// Lights made ready for a sweep: what does not move, on the sky and on the sensor, taken out.
///
/// The unmoving sky is taken out once to see what stands on the sensor, and where that matters once more from frames without it.
class SweepLights {
  public:
    /// `lights` in the order of time, and `folder`, in which files are made, must outlive this.
    ///
    /// Errors   sweep.no_motion  all frames are of one time; stack.no_frames  fewer than four; those of stack::takeOutStillSky
    static Result<SweepLights> prepare(std::span<const StackLight> lights,
                                       const std::filesystem::path& folder,
                                       const Job& job);

    /// The pixels of a light with nothing but sky noise and what moves in them.
    [[nodiscard]] Result<sweep::FramePixels> pixels(std::size_t i) const;

    /// What each frame says of a point of light anywhere on the field, in memory or in files of the folder.
    ///
    /// Model    The variance of a pixel is that of the frame without its unmoving sky, and of the light that was taken out: its
    ///          photons, and what the kernel misses of it. The field reaches over all frames; its pixels are two fifths of a star's
    ///          width.
    [[nodiscard]] Result<sweep::LightMaps> maps(bool inFiles, const Job& job) const;

    /// Candidates measured in up to `groups` stacks in time each, of frames whose unmoving sky was taken out without the candidates.
    ///
    /// Returns  For each candidate those in which it was seen.
    [[nodiscard]] Result<std::vector<std::vector<CandidateMeasurement>>>
    measure(std::span<const sweep::Candidate> candidates,
            int groups,
            const CandidateStackFiles& files,
            const Job& job) const;

  private:
    SweepLights(std::span<const StackLight> lights, const std::filesystem::path& folder)
        : lights_(lights), folder_(folder) {}

    Result<bool> takeOffPattern(const Job& job);
    Result<bool> takeOutSky(const Job& job);

    std::span<const StackLight> lights_;
    std::filesystem::path folder_;
    std::vector<stack::StackFrame> frames_; ///< with their sky, without what stands on the sensor
    stack::WithoutStillSky taken_;
};

/// What a sweep of lights found, and what was measured of it.
struct SweptLights {
    sweep::SweepResult found;
    std::vector<std::vector<CandidateMeasurement>> measured; ///< of each candidate
    double pixels = 0.0;                                     ///< of the field
};

/// From lights to measured candidates.
///
/// Shapes   `lights` in the order of time. `plan`: of these options. `folder`: for files on the way
/// Errors   base.disk_full  before anything is done; those of SweepLights::prepare and sweep::sweepOver
Result<SweptLights> sweepLights(std::span<const StackLight> lights,
                                const sweep::SweepOptions& options,
                                const sweep::SweepPlan& plan,
                                int groups,
                                const CandidateStackFiles& files,
                                const std::filesystem::path& folder,
                                const Job& job);

/// The magnitude of so many electrons of the reference light; nothing where it has no zero point.
std::optional<double> magnitudeOf(const StackLight& reference, double electrons);

} // namespace pathmark::night
