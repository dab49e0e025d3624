#pragma once

#include "core/base/result.h"
#include "core/calibrate/defects.h"
#include "core/calibrate/master.h"
#include "core/frame/fits_file.h"
#include "core/frame/frame_info.h"

#include <optional>

namespace pathmark::calibrate {

/// What becomes of the cells of a colour camera.
enum class Colour {
    Sum,   ///< a cell to one pixel, the sum of its pixels: the deepest for measuring
    Red,   ///< one plane for measuring in a band; a pixel for each cell
    Green, ///< all greens of a cell, averaged; so for red and blue where a cell has several
    Blue,
    Full, ///< all three colours at every pixel, interpolated along edges: for pictures, not for measuring
    Keep, ///< the mosaic as it is
};

const char* name(Colour colour);
std::optional<Colour> colourNamed(std::string_view name);

/// The masters of one series, ready to be applied to every frame of it.
struct CalibrationSet {
    const Master* dark = nullptr; ///< of the lights' exposure
    const Master* bias = nullptr; ///< where there is no such dark; beside one, only for the noise
    const Master* scaledDark = nullptr; ///< of another exposure, needs bias
    double darkScale = 0.0;             ///< of scaledDark; 0: the ratio of the exposures
    const Master* flat = nullptr;
    const DefectMap* defects = nullptr; ///< further than those of dark and flat
    frame::NoiseModel noise;
    Colour colour = Colour::Sum;
    bool wantsVariance = false;
    bool keepsMosaic = false; ///< the mosaic beside the sums of its cells
};

/// A light in electrons.
struct CalibratedFrame {
    frame::Image image;    ///< electrons; NaN where the pixel is defect
    frame::Image mosaic;   ///< electrons of every raw pixel, where it is kept; else empty
    frame::Image red;      ///< of Colour::Full, where `image` is the green; else empty
    frame::Image blue;     ///< likewise
    frame::Image gradient; ///< what was taken away, where it is wanted; else empty
    frame::Image variance; ///< of `image`, electrons squared; empty unless wanted
    frame::Header header;  ///< the light's own, with provenance added
    /// Pixels of `image` at or above this are not to be trusted. A sum of cells is lifted to it where one of its pixels is saturated.
    double saturationElectrons = 0.0;
    int defects = 0;
};

/// The calibration of one series: made once, applied to each of its lights.
///
/// Model    electrons = gain (raw - pedestal) / flat, the pedestal being the dark, or bias + scale (dark - bias), or
///          the bias. Variance = gain^2 / flat^2 (photons / gain + (read / gain)^2 + var pedestal) + electrons^2
///          var flat / flat^2, with photons = max(raw - bias level, 0).
/// Shapes   Every master has the size of the lights.
/// Threads  apply() may be called from many threads at once.
/// Cost     The light's own memory becomes the result's: move it in.
/// Source   Newberry 1991, PASP 103, 122 (noise of a calibrated frame).
class Calibrator {
  public:
    Calibrator(const CalibrationSet& set, const frame::FrameInfo& example);
    Calibrator(const Calibrator&) = delete;
    Calibrator& operator=(const Calibrator&) = delete;

    [[nodiscard]] CalibratedFrame apply(frame::LoadedFrame light,
                                        const frame::FrameInfo& info) const;

    [[nodiscard]] const DefectMap& defects() const { return defects_; }

    /// How the scale of the dark was found; empty where none is scaled.
    [[nodiscard]] double darkScale() const { return darkScale_; }

  private:
    /// Electrons up to which pixels of a range can be trusted.
    [[nodiscard]] double trustedElectrons(double rangeAdu) const;

    /// Makes the wanted plane, or the sum, of an image that is still a mosaic.
    void takeCells(const std::string& pattern, CalibratedFrame& result) const;

    void
    makeVariance(const frame::Image& raw, const frame::Image& electrons, frame::Image& out) const;

    CalibrationSet set_;
    double darkScale_ = 0.0;
    Master scaled_; ///< pedestal of bias and scaled dark
    const Master* pedestal_ = nullptr;
    frame::Image factor_; ///< gain / flat, NaN at defects
    DefectMap defects_;
    double biasLevel_ = 0.0;     ///< ADU, where no bias frame says it pixel by pixel
    double pedestalLevel_ = 0.0; ///< ADU
    double flatError_ = 0.0;     ///< of a typical pixel, relative; 0: not known
    double saturationElectrons_ = 0.0;
};

} // namespace pathmark::calibrate
