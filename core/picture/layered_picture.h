#pragma once

#include "core/picture/annotation.h"
#include "core/picture/smoothing.h"
#include "core/picture/star_colours.h"
#include "core/picture/stretch.h"

namespace pathmark::picture {

/// Which layers of a picture are shown.
enum class Shown { Both, Comet, Stars };

const char* name(Shown shown);
std::optional<Shown> shownNamed(std::string_view name);

/// White and softness of a layer of stars that is stretched on its own, in sigmas of the sky's noise; its sky is black.
struct StarStretch {
    double white = 40.0;
    double softness = 2.0;

    friend bool operator==(const StarStretch&, const StarStretch&) = default;
};

/// How an observer wants a picture to be seen. In sigmas of the sky's noise above the sky, so that it holds when frames are added or left
/// out; nothing of it touches the picture in linear light.
struct Look {
    bool isLinear = false;       ///< brightness as the light
    std::optional<double> black; ///< absent: found from the picture
    std::optional<double> white;
    std::optional<double> softness;
    double saturation = 1.0;
    double smoothing = 0.0; ///< strength, see Smoothing
    White whiteIs = White::Sun;
    Shown layers = Shown::Both;
    std::optional<StarStretch> stars; ///< the stars stretched apart from the comet
    Marks marks;                      ///< drawn on it

    friend bool operator==(const Look&, const Look&) = default;
};

/// A picture in linear light, and what of it is stars.
struct LayeredPicture {
    ColourPicture whole;
    ColourPicture stars; ///< empty: it has no layers
    PlaneNoise noise;
    std::array<double, 3> average{1.0, 1.0, 1.0};  ///< planes times that: the average star is white
    std::array<double, 3> recorded{1.0, 1.0, 1.0}; ///< planes times that: as they were recorded

    [[nodiscard]] bool hasLayers() const { return !stars.planes[0].empty(); }

    /// The layer without its stars; the whole where there are no layers.
    [[nodiscard]] ColourPicture comet() const;

    [[nodiscard]] const std::array<double, 3>& factorsOf(White white) const;
};

/// The stretch of a picture that looks so.
///
/// Shapes   `found`: stretchFor() of the picture without a wish; `ground`: of the same picture
Stretch stretchOf(const Look& look, const Stretch& found, const Ground& ground);

/// A picture as it looks: layers chosen, smoothed, brought to their white, stretched and joined.
///
/// Model    Stars that are stretched apart are laid over the comet as light over light: 1 - (1 - a)(1 - b).
/// Shapes   `smoothing`: of its comet() where that has been made already, or null
ColourPicture shown(const LayeredPicture& picture,
                    const Look& look,
                    const Stretch& stretch,
                    const Ground& ground,
                    const Smoothing* smoothing = nullptr);

} // namespace pathmark::picture
