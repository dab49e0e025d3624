#pragma once

#include "core/base/result.h"
#include "core/detect/background.h"
#include "core/detect/detect.h"
#include "core/frame/image.h"

#include <array>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::detect {

/// The mean over the pixels of a cell: half of them see green.
inline double meanOfCell(double red, double green, double blue) {
    return 0.25 * (red + 2.0 * green + blue);
}

/// The electrons that an average star of a frame leaves in a red and in a blue pixel where it leaves 1 in a green one.
struct ColourResponse {
    double red = 1.0;
    double blue = 1.0;

    [[nodiscard]] double of(int colour) const {
        return colour == 0 ? red : colour == 2 ? blue : 1.0;
    }

    [[nodiscard]] double mean() const { return meanOfCell(red, 1.0, blue); }
};

/// One of the four sites of the cells: every second pixel of every second row.
frame::Image siteOf(const frame::Image& mosaic, int dx, int dy);

/// A colour camera's mosaic with the sky of each of its colours taken off. Places are measured on it, not on the sums of its
/// cells: red and blue stand at opposite corners of a cell, so that a sum leans away from the corner of the brighter of them.
class ColourMosaic {
  public:
    /// `pattern`: four of R, G, B, row by row. Pixels at or above `saturation` electrons count as defect.
    ColourMosaic(const frame::Image& electrons,
                 std::string pattern,
                 std::optional<double> saturation);

    /// Measures the sky of each colour again with these discs (raw pixels) left out: stars lift it, and its noise.
    void relevel(std::span<const Disc> discs);

    [[nodiscard]] int width() const { return light_.width(); }

    [[nodiscard]] int height() const { return light_.height(); }

    /// 0 red, 1 green, 2 blue.
    [[nodiscard]] int colourAt(int x, int y) const {
        return colours_[static_cast<std::size_t>(y % 2 * 2 + x % 2)];
    }

    /// Electrons above the sky; NaN at defects and where saturated.
    [[nodiscard]] const frame::Image& light() const { return light_; }

    /// Sigma of the sky in a pixel.
    [[nodiscard]] double noise(int x, int y) const {
        return static_cast<double>(
            skies_[static_cast<std::size_t>(y % 2 * 2 + x % 2)].noise(0.5 * x, 0.5 * y));
    }

    /// The typical sigma of the sky in the pixels of a colour.
    [[nodiscard]] double typicalNoise(int colour) const;

    /// Every colour brought to green's by the response: an average star looks as in a camera without colours.
    [[nodiscard]] frame::Image levelled(const ColourResponse& response) const;

    /// How far, in raw pixels, an average star in the sums of cells lies from its true place.
    [[nodiscard]] frame::PixelPos lean(const ColourResponse& response) const;

  private:
    /// Takes the level of each site's sky off its pixels.
    void takeOffSkies();

    std::array<int, 4> colours_{};
    frame::Image light_;
    std::vector<Background> skies_; ///< of the four sites of a cell
};

/// Place and light of a star on a mosaic.
struct ColourFit {
    double x = 0.0; ///< raw pixels
    double y = 0.0;
    double xError = 0.0; ///< one standard deviation
    double yError = 0.0;
    std::array<double, 3> flux{};      ///< electrons, as if every pixel saw that colour
    std::array<double, 3> fluxError{}; ///< one standard deviation
    double chiSquare = 0.0;            ///< per degree of freedom

    /// Of the pixels of a cell: what is left of the star's light in sums of cells.
    [[nodiscard]] double meanFlux() const { return meanOfCell(flux[0], flux[1], flux[2]); }
};

/// What the sources of a colour frame are on its own pixels.
struct MosaicSources {
    FieldShape shape; ///< of its stars, raw pixels
    ColourResponse response;
    frame::PixelPos lean; ///< see ColourMosaic::lean
    /// By source; nothing where it is too faint to gain by it, or could not be fitted.
    std::vector<std::optional<ColourFit>> fits;
};

/// Learns the star's shape on the mosaic and fits each source that was found on the sums of its cells with one flux for
/// each colour, so that no colour moves a place.
///
/// Model    The sky is measured beside the sources; pixel = flux(colour) P(pixel - place); variance = sky + model; Gauss-Newton. Others' light is taken off as that of
///          average stars.
/// Shapes   `onCells`: detection on the cells' sums, where pixel (i, j) holds raw pixels 2i, 2i+1 and 2j, 2j+1.
/// Threads  Shares its work out; the answer does not depend on their number.
MosaicSources fitOnMosaic(ColourMosaic& mosaic, const Detection& onCells);

/// Brings the places of a detection on the sums of cells to where the mosaic has them: fitted ones to their fit, the others
/// by the lean of an average star. Their fluxes too are those of the mosaic.
void placeByMosaic(const MosaicSources& mosaic, Detection& onCells);

} // namespace pathmark::detect
