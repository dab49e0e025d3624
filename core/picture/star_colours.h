#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::picture {

/// A star in the three planes of a picture.
struct PlaneStar {
    std::array<double, 3> flux{};    ///< > 0
    std::optional<double> magG;      ///< of the catalogue
    std::optional<double> bpMinusRp; ///< likewise
};

/// What is white in a picture.
enum class White {
    Sun,        ///< a star of the Sun's colour: dust that scatters its light is white
    Average,    ///< the average star of the field
    AsRecorded, ///< light as the planes took it
};

const char* name(White white);
std::optional<White> whiteNamed(std::string_view name);

/// A star's colour in a picture against that of the catalogue.
struct ColourPoint {
    double bpMinusRp = 0.0;
    double blueLessRed = 0.0; ///< magnitudes in the planes; 0 for a star of the Sun's colour
    double fitted = 0.0;      ///< the same by its BP - RP
};

/// What each plane is multiplied by so that white is white.
struct PlaneScales {
    std::array<double, 3> scale{1.0, 1.0, 1.0};
    std::array<double, 3> average{1.0, 1.0, 1.0}; ///< what makes the average star white
    std::string white;                            ///< in words, what `scale` makes white
    int stars = 0;
    double scatter =
        0.0; ///< magnitudes of the stars' colours, red less blue, about what is expected; 0: not known
    std::vector<ColourPoint> points; ///< of the stars whose colour is known

    /// What planes that were multiplied by `scale` are multiplied by for another white.
    [[nodiscard]] std::array<double, 3> towards(White wanted) const;
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
