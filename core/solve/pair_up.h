#pragma once

#include "core/base/point_grid.h"
#include "core/catalog/star.h"
#include "core/detect/detect.h"
#include "core/frame/wcs.h"

#include <cmath>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::solve {

/// A source that lies on a catalogue star.
struct MatchedStar {
    std::size_t source = 0; ///< index into Detection::sources
    catalog::Star star;
    bool usedInFit = false;
    double beside =
        0.0; ///< light of other stars of the catalogue within a star's width of it, over its own
    double pull = 0.0; ///< pixels that such stars, seen as one with it, may move it by
};

/// The size of a frame in pixels.
struct FrameSize {
    int width = 0;
    int height = 0;

    [[nodiscard]] double diagonal() const { return std::hypot(width, height); }

    [[nodiscard]] frame::PixelPos middle() const { return {0.5 * (width - 1), 0.5 * (height - 1)}; }

    [[nodiscard]] double squareDegrees(double arcsecPerPixel) const {
        const double degrees = arcsecPerPixel / 3600.0;
        return width * static_cast<double>(height) * degrees * degrees;
    }
};

/// Stars of a field with their places on a frame by some solution.
class PlacedStars {
  public:
    /// Stars that fall on the frame or within `margin` pixels of it.
    PlacedStars(std::span<const catalog::Star> field,
                const frame::Wcs& wcs,
                FrameSize size,
                double margin);

    PlacedStars(const PlacedStars&) = delete; // the grid looks at the places
    PlacedStars& operator=(const PlacedStars&) = delete;

    [[nodiscard]] std::size_t count() const { return places_.size(); }

    [[nodiscard]] frame::PixelPos place(std::size_t i) const { return places_[i]; }

    /// Index into the field.
    [[nodiscard]] std::size_t star(std::size_t i) const { return stars_[i]; }

    /// Calls near(i, squared distance) for every star within `radius` of a place.
    template <typename Near>
    void forNear(frame::PixelPos at, double radius, const Near& near) const {
        grid_->forNear(at.x, at.y, radius, near);
    }

  private:
    std::vector<frame::PixelPos> places_;
    std::vector<std::size_t> stars_;
    std::optional<PointGrid<frame::PixelPos>> grid_;
};

/// Source-star pairs that lie within `radius` pixels of each other, one to one; where two stars are nearly as near, none.
std::vector<MatchedStar> pairUp(const detect::Detection& detection,
                                std::span<const std::size_t> sources,
                                std::span<const catalog::Star> field,
                                const PlacedStars& placed,
                                double radius);

/// Fills in MatchedStar::beside and pull, for stars that are `width` pixels wide.
///
/// Model    A star of d pixels away and f of the light moves a fitted centre by f d times the correlation of two images d apart, which
///          for a Gaussian is exp(-2 ln 2 (d / width)^2). Wings and the weights of a bright star's pixels make it more: the root of that
///          is taken. Stars with a source of their own were fitted together and move nothing.
void findLightBeside(std::span<MatchedStar> matched,
                     std::span<const catalog::Star> field,
                     const PlacedStars& placed,
                     const frame::Wcs& wcs,
                     double width);

} // namespace pathmark::solve
