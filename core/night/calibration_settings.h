#pragma once

#include "core/calibrate/apply.h"
#include "core/calibrate/match.h"
#include "core/calibrate/surface.h"
#include "core/combine/combine.h"

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::night {

/// What is done with lights that have no flat.
enum class WithoutFlats {
    Leave, ///< as they are
    Sky,   ///< a flat from the series' own dithered sky
    Level, ///< each frame to a smooth background
};

const char* name(WithoutFlats what);
std::optional<WithoutFlats> withoutFlatsNamed(std::string_view name);

/// The shape of a gradient that is taken away.
struct GradientSettings {
    bool removed = false;
    int degree = 2;         ///< 1 to 4; 0: smooth spline
    bool perSeries = false; ///< one shape for the whole series instead of one for each frame
};

/// What the observer says of the camera; each absent: from the header, else measured.
struct NoiseSettings {
    std::optional<double> electronsPerAdu;
    std::optional<double> readNoiseElectrons;
    std::optional<double> saturationAdu;
};

/// A disc of one frame that is no sky; a comet goes from frame to frame, see ProtectedSky.
struct ProtectedMark {
    std::string file; ///< the frame, by its name
    calibrate::ProtectedDisc disc;
};

/// What is done about the background of lights.
struct BackgroundChoice {
    WithoutFlats withoutFlats = WithoutFlats::Leave;
    GradientSettings gradient;
};

/// How masters are made.
struct MasterSettings {
    std::optional<combine::Combination> combination; ///< none: by the number of frames
    std::filesystem::path library;                   ///< masters of other nights; empty: none
};

/// How lights are calibrated.
struct LightSettings {
    std::optional<double>
        levelElectrons; ///< target of WithoutFlats::Level; none: each frame's own median
    calibrate::Colour colour = calibrate::Colour::Sum;
    std::vector<calibrate::ProtectedDisc>
        protect; ///< never taken for sky: a coma, a galaxy; raw pixels
    bool writesGradient =
        false; ///< the gradient taken away as a further image of each calibrated file
    bool writesVariance = false; ///< a second image in each calibrated file
    bool masksHits = true;       ///< particle hits become NaN
};

/// How a night is calibrated; the recipe's [camera] and [calibration].
struct CalibrationSettings : NoiseSettings, MasterSettings, BackgroundChoice, LightSettings {
    /// Which frames feed every series, where nothing is decided for it. What is made knows what fed it, not why.
    std::vector<calibrate::Override> use;
    /// What goes with a comet. What is made knows the discs, not from what marks they are.
    std::vector<ProtectedMark> protectMarks;
};

} // namespace pathmark::night
