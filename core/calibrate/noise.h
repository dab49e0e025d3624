#pragma once

#include "core/base/result.h"
#include "core/calibrate/groups.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::calibrate {

struct MeasuredNoise {
    double electronsPerAdu = 0.0;
    double readNoiseElectrons = 0.0;
};

/// Gain and read noise from pairs of flats and of biases of one detector; up to four pairs of each.
///
/// Model    Photon transfer: var(F1 - r F2) = s (1 + r) / gain + (1 + r^2) read^2, in blocks of 64 pixels so that
///          the flat's own shape does not count; r scales F2 to the level of F1. For a colour camera pixels two apart
///          are compared only with their like: the blocks take every second pixel and row.
/// Errors   calibrate.no_frames  fewer than two of either, or no signal
/// Accuracy 2 % (gain) and 3 % (read noise) on pairs of 0.26 megapixels (tested).
/// Source   Janesick 2001, Scientific Charge-Coupled Devices, ch. 2.
Result<MeasuredNoise> measureNoise(const FrameGroup& flats, const FrameGroup& biases);

/// What a header says against what was measured.
///
/// Errors   None: a sentence with the remedy for each value that is more than 15 % (gain) or 30 % (read noise) off.
std::vector<std::string> noiseDisagreements(const MeasuredNoise& measured,
                                            std::optional<double> statedGain,
                                            std::optional<double> statedReadNoise);

} // namespace pathmark::calibrate
