#pragma once

#include "core/calibrate/apply.h"
#include "core/detect/detect.h"
#include "core/night/product.h"
#include "core/night/steps/night_run.h"
#include "core/solve/solve_frame.h"

#include <map>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::night {

struct LoadedCalibration;

/// One light on its way through the steps on single frames. What a step has to make again needs what earlier ones hold in
/// memory; the functions below bring that back from the stored pixels where only a later product is missing.
struct FrameWork {
    FrameWork(const CalibrationRun& calibrating,
              const NightRun* night,
              const Series& own,
              const frame::FrameInfo& described)
        : calibration(calibrating), run(night), series(own), info(described) {}

    const CalibrationRun& calibration;
    const NightRun* run; ///< null where a folder is only calibrated
    const Series& series;
    const frame::FrameInfo& info;
    const LoadedCalibration* loaded = nullptr; ///< while pixels are being made
    std::filesystem::path target;              ///< of the calibrated file
    LightRecord record;
    std::map<ProductKind, std::string> keys;
    std::optional<calibrate::CalibratedFrame> pixels;
    std::optional<detect::Detection> detection;
    std::optional<solve::Solution> solution;

    /// The calibrated pixels in memory, read from the stored file where they were not made just now.
    Result<bool> needPixels();

    /// The electrons of every raw pixel of a colour camera, calibrated anew where the pixels come from the stored file; empty where the
    /// light does not lean towards a colour.
    Result<bool> needMosaic();

    /// True where the light is the sum of a colour camera's cells and those lean towards a colour: cells of 2 x 2 do.
    [[nodiscard]] bool leansTowardsColour() const;

    /// The sources with their profile; false where there are none (the record says why).
    Result<bool> needDetection();

    /// The solution with its pairs; false where the frame is not solved.
    Result<bool> needSolution();
};

/// A step that makes one product of each light.
struct FrameStep {
    const char* name;
    int version;
    const char* words; ///< what it does, for people
    std::vector<ProductKind> takes;
    ProductKind makes;

    /// The key of the product; the keys of earlier steps are in `keys`.
    ProductKey (*key)(const FrameWork& work);

    /// Makes the product: fills the record, and `product` with what is stored.
    ///
    /// Threads  Called for many frames at once.
    Result<bool> (*make)(FrameWork& work, Product& product);

    /// Fills the record from a stored product. Throws what reading JSON throws. Null: the record has no part of it.
    void (*restore)(FrameWork& work, const Product& product);

    /// What the step adds to the header of the calibrated file; null: nothing.
    void (*stamp)(const FrameWork& work, frame::Header& header);
};

/// Takes every light of the series through frame steps. What is stored already is not made again; each frame's own failure
/// is noted and the others go on. As many frames are worked on at once as there are cores and memory for.
///
/// Errors   base.cancelled, base.disk_full, base.cannot_write, night.cannot_store
Result<std::vector<LightRecord>>
passFrames(CalibrationRun& calibration, const NightRun* run, std::span<const FrameStep> steps);

/// How many frames of a size are worked on at once: two for each thread, so that some wait for the disk while others are
/// worked on, and no more than half of the memory holds.
std::size_t framesAtOnce(std::size_t pixels, std::size_t threads, std::size_t memoryBytes);

} // namespace pathmark::night
