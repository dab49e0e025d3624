#pragma once

#include "core/detect/background.h"
#include "core/detect/colour_mosaic.h"
#include "core/measure/comet.h"
#include "core/night/steps/calibrate_step.h"
#include "core/night/steps/night_run.h"

#include <list>
#include <memory>
#include <mutex>
#include <optional>

namespace pathmark::night {

/// The calibrations of the series whose mosaics are asked for. Those asked for last are kept, one for each worker: lights come in
/// order of time, and the masters of a large sensor are half a gigabyte.
///
/// Threads  of() may be called from many threads at once.
class SeriesMasters {
  public:
    explicit SeriesMasters(const CalibrationRun& run) : run_(run) {}

    Result<std::shared_ptr<const LoadedCalibration>> of(const Series& series);

  private:
    struct Kept {
        SeriesId series;
        std::shared_ptr<const LoadedCalibration> calibration;
    };

    const CalibrationRun& run_;
    std::mutex guard_;
    std::list<Kept> kept_; ///< the latest first
};

/// Electrons from which a raw pixel of a light that is measured on its mosaic is not to be trusted.
double rawSaturation(const CalibratedPart& light);

/// The pixels of a light that its bodies are measured on: the calibrated frame, or the mosaic that a colour camera's frame was
/// summed from.
class MeasuredPixels {
  public:
    /// Errors   frame.* of the calibrated file or of the camera's own
    static Result<MeasuredPixels>
    read(const NightRun& run, SeriesMasters& masters, const LightRecord& light);

    /// All of them.
    [[nodiscard]] const frame::Image& electrons() const { return electrons_; }

    /// For a body near a pixel of the light. Points into this.
    [[nodiscard]] measure::Picture pictureAt(frame::PixelPos pixel) const;

    /// The same for a comet, the sky in it.
    [[nodiscard]] measure::CometFrame cometFrameAt(frame::PixelPos pixel) const;

    /// A place on the picture as one of the light.
    [[nodiscard]] frame::PixelPos toLight(frame::PixelPos picture) const;

  private:
    const LightRecord* light_ = nullptr;
    frame::Image electrons_;
    frame::Image withoutSky_;               ///< of a frame without colours
    std::optional<detect::Background> sky_; ///< likewise
    std::unique_ptr<detect::ColourMosaic> mosaic_;
};

} // namespace pathmark::night
