#pragma once

#include "core/calibrate/apply.h"
#include "core/calibrate/match.h"
#include "core/calibrate/surface.h"
#include "core/combine/combine.h"

#include <filesystem>
#include <optional>
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

/// How masters are made.
struct MasterSettings {
    std::optional<combine::Combination> combination; ///< none: by the number of frames
    std::filesystem::path library;                   ///< masters of other nights; empty: none
};

/// How lights are calibrated.
struct LightSettings {
    WithoutFlats withoutFlats = WithoutFlats::Leave;
    std::optional<double>
        levelElectrons; ///< target of WithoutFlats::Level; none: each frame's own median
    calibrate::Colour colour = calibrate::Colour::Sum;
    GradientSettings gradient;
    std::vector<calibrate::ProtectedDisc>
        protect; ///< never taken for sky: a coma, a galaxy; raw pixels
    bool writesGradient =
        false; ///< the gradient taken away as a further image of each calibrated file
    bool writesVariance = false; ///< a second image in each calibrated file
    bool masksHits = true;       ///< particle hits become NaN
};

/// How a night is calibrated; the recipe's [camera] and [calibration].
struct CalibrationSettings : NoiseSettings, MasterSettings, LightSettings {
    /// Which frames feed every series, where nothing is decided for it. What is made knows what fed it, not why.
    std::vector<calibrate::Override> use;
};

} // namespace pathmark::night
