#pragma once

#include "core/night/records.h"

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::night {

/// What a frame's quality is judged by.
enum class Quality { Fwhm, Sky, Noise, Elongation, Stars, Transparency, Drift };

const char* name(Quality quality);

/// The name for people: "FWHM", "transparency".
const char* title(Quality quality);

std::optional<Quality> qualityNamed(std::string_view name);

/// All of them, in the order in which they are offered.
std::span<const Quality> allQualities();

/// "px", "e-", "" and so on.
const char* unitOf(Quality quality);

/// The quality of every light; NaN where it is not known.
///
/// Model    Transparency: relative flux by the zero point, 1 for the best of its series. Drift: arcseconds of
///          the frame's middle from that of the first solved frame of its series.
std::vector<double> qualitiesOf(std::span<const LightRecord> lights, Quality quality);

/// For each light the median of its series, over what is known; NaN where nothing is.
std::vector<double> seriesMedians(std::span<const LightRecord> lights,
                                  std::span<const double> values);

/// Frames beyond a limit are left out, e.g. FWHM above 1.4 x the median of the series.
struct ExclusionRule {
    Quality quality = Quality::Fwhm;
    bool above = true; ///< leaves out what lies above; else below
    double limit = 1.4;
    bool timesMedian =
        true; ///< the limit counts in medians of the series; else in the quality's own unit
};

/// From "fwhm above 1.4 median", "sky below 900": quality, side, limit, and whether that counts in medians of the series.
std::optional<ExclusionRule> ruleFrom(std::string_view text);

/// "FWHM above 1.4 x median".
std::string words(const ExclusionRule& rule);

/// For each light whether the rule leaves it out. What is not known is kept.
std::vector<bool> fallsOut(std::span<const LightRecord> lights, const ExclusionRule& rule);

} // namespace pathmark::night
