#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>

namespace pathmark::picture {

/// A star in the three planes of a picture.
struct PlaneStar {
    std::array<double, 3> flux{};    ///< > 0
    std::optional<double> magG;      ///< of the catalogue
    std::optional<double> bpMinusRp; ///< likewise
};

/// What each plane is multiplied by so that white is white.
struct PlaneScales {
    std::array<double, 3> scale{1.0, 1.0, 1.0};
    std::string white; ///< in words, what is white
    int stars = 0;
    double scatter =
        0.0; ///< magnitudes of the stars' colours, red less blue, about what is expected; 0: not known
};

/// BP - RP of the Sun.
///
/// Source   Casagrande & VandenBerg 2018, MNRAS 479, L102.
inline constexpr double kSunColour = 0.82;

/// Scales of the planes.
///
/// Model    With colours of a catalogue (eight stars or more): magnitude in a plane less G is a parabola of BP - RP, fitted robustly for
///          each plane; white is what has the colour of the Sun. Without: the median star is white. Green is left as it is.
PlaneScales scalesOf(std::span<const PlaneStar> stars);

} // namespace pathmark::picture
