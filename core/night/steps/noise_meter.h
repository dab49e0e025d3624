#pragma once

#include "core/calibrate/groups.h"
#include "core/calibrate/noise.h"
#include "core/night/night_file.h"

#include <map>
#include <optional>
#include <utility>
#include <vector>

namespace pathmark::night {

/// Measures the noise of a flat and a bias group once, however many series they serve, and keeps what it measured in the night file.
class NoiseMeter {
  public:
    NoiseMeter(NightFile& file, const std::vector<calibrate::FrameGroup>& groups)
        : file_(file), groups_(groups) {}

    /// Of the groups of those numbers; nothing where they do not tell it.
    ///
    /// Errors   night.cannot_store
    Result<std::optional<calibrate::MeasuredNoise>> measure(std::size_t flat, std::size_t bias);

  private:
    Result<std::optional<calibrate::MeasuredNoise>>
    storedOrMeasured(const calibrate::FrameGroup& flats, const calibrate::FrameGroup& biases);

    NightFile& file_;
    const std::vector<calibrate::FrameGroup>& groups_;
    std::map<std::pair<std::size_t, std::size_t>, std::optional<calibrate::MeasuredNoise>>
        measured_;
};

} // namespace pathmark::night
