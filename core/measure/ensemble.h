#pragma once

#include <span>
#include <vector>

namespace pathmark::measure {

/// A star over a series of one band.
struct SeriesStar {
    double catalogueMag = 0.0; ///< in the band
    double colour = 0.0;       ///< BP - RP
    bool isFit =
        true; ///< may serve as comparison: it stands alone, has a colour, is never saturated
    bool isChosen = false;    ///< named by the observer: it serves, and none that is not named does
    std::vector<double> mags; ///< instrumental, by frame; NaN: none
    std::vector<double> errors; ///< one standard deviation, of noise alone
    int frames = 0;             ///< that look at it, of which it is to be on most; 0: all do
};

/// How bright the frames of a series see the sky.
struct FrameZero {
    double zeroPoint =
        0.0; ///< to be added to instrumental magnitudes of a star of the reference colour
    double colourSlope = 0.0; ///< per magnitude of BP - RP from it
    double error = 0.0;
    int stars = 0;
};

/// What a star shows over the series.
struct StarScatter {
    double mag = 0.0; ///< mean, in the catalogue's system
    double rms = 0.0;
    double expectedRms = 0.0; ///< by noise, zero points and what all stars scatter by besides
    double chiSquare = 0.0;   ///< reduced
    double chiSquareWithoutWorst = 0.0;
    int points = 0;
    bool used = false; ///< as comparison
};

/// Zero points from the stars' constancy, and the catalogue's level.
struct Ensemble {
    std::vector<FrameZero> frames;
    std::vector<StarScatter> stars;
    double floor = 0.0; ///< magnitudes that even bright stars scatter by

    /// The magnitude of an instrumental one, and its error but for its own noise.
    [[nodiscard]] double magnitude(std::size_t frame, double instrumental, double colour) const;

    double referenceColour = 0.88;
};

/// Fits zero points, their dependence on colour, and the mean magnitude of every star, all together.
///
/// Model    m(star, frame) + Z(frame) + k(frame) (colour - reference) = M(star). Means are held to the catalogue by the comparison
///          stars as a whole. What scatters by more than its errors and the floor is no comparison star; at least five stay. The
///          floor is such that half of the comparison stars scatter as they should.
/// Shapes   Every star has as many magnitudes as there are frames.
/// Source   Honeycutt 1992, PASP 104, 435 (ensemble photometry).
Ensemble fitEnsemble(std::span<const SeriesStar> stars, std::size_t frames, double referenceColour);

} // namespace pathmark::measure
