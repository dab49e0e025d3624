#pragma once

#include "core/frame/image.h"
#include "simulate/catalogue.h"
#include "simulate/exposure.h"

#include <nlohmann/json_fwd.hpp>

#include <array>
#include <vector>

namespace pathmark::simulate {

/// What one colour of a Bayer camera takes of the light of an object of colour 0.8: red, green, blue.
inline constexpr std::array<double, 3> kColourShare{0.75, 1.0, 0.6};

/// Light that falls on the detector in one exposure, electrons, before the detector's response: sky, stars and bodies.
///
/// Model    Every star is drawn from where the optics had it at the start to where they had it at the end. Behind a Bayer
///          mask redder objects give more in red and less in blue.
frame::Image paintLight(const Scenario& scenario,
                        std::size_t series,
                        const Exposure& exposure,
                        const std::vector<SimStar>& stars);

/// The true places and magnitudes of the bodies near an exposure's frame, by name.
nlohmann::json trueBodies(const Scenario& scenario, std::size_t series, const Exposure& exposure);

} // namespace pathmark::simulate
