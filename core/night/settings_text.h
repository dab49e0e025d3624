#pragma once

#include "core/frame/frame_info.h"
#include "core/night/calibration_settings.h"
#include "core/night/recipe.h"

#include <string>

// Settings as the one text that goes into the keys of products: every field, from its list, so that none is forgotten.
namespace pathmark::night {

/// Of MasterSettings, BackgroundChoice, LightSettings, MeasureSettings, CandidateSettings or frame::Site.
template <typename Settings>
std::string settingsText(const Settings& settings);

/// What a light's header was taken to mean, as far as its calibrated pixels depend on it.
std::string pixelMeaningOf(const frame::FrameInfo& info);

/// What a header was taken to mean, as far as it is written into a master: all of a frame's description but names, words,
/// place and time.
std::string meaningOf(const frame::FrameInfo& info);

} // namespace pathmark::night
