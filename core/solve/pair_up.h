#pragma once

#include "core/catalog/star.h"
#include "core/detect/detect.h"
#include "core/frame/wcs.h"

#include <span>
#include <vector>

namespace pathmark::solve {

/// A source that lies on a catalogue star.
struct MatchedStar {
    std::size_t source = 0; ///< index into Detection::sources
    catalog::Star star;
    bool usedInFit = false;
};

/// The size of a frame in pixels.
struct FrameSize {
    int width = 0;
    int height = 0;
};

/// Stars of a field with their places on a frame by some solution.
class PlacedStars {
  public:
    /// Stars that fall on the frame or within `margin` pixels of it.
    PlacedStars(std::span<const catalog::Star> field,
                const frame::Wcs& wcs,
                FrameSize size,
                double margin);

    [[nodiscard]] std::size_t count() const { return places_.size(); }

    [[nodiscard]] frame::PixelPos place(std::size_t i) const { return places_[i]; }

    /// Index into the field.
    [[nodiscard]] std::size_t star(std::size_t i) const { return stars_[i]; }

    /// Calls near(i, squared distance) for every star within `radius` of a place.
    template <typename Near>
    void forNear(frame::PixelPos at, double radius, const Near& near) const;

  private:
    [[nodiscard]] int along(double place, int cells) const;

    double cell_ = 32.0;
    double margin_;
    int columns_ = 1;
    int rows_ = 1;
    std::vector<frame::PixelPos> places_;
    std::vector<std::size_t> stars_;
    std::vector<std::size_t> starts_;
    std::vector<std::size_t> members_;
};

template <typename Near>
void PlacedStars::forNear(frame::PixelPos at, double radius, const Near& near) const {
    for (int j = along(at.y - radius, rows_); j <= along(at.y + radius, rows_); ++j) {
        for (int i = along(at.x - radius, columns_); i <= along(at.x + radius, columns_); ++i) {
            const auto cell = static_cast<std::size_t>(j * columns_ + i);
            for (std::size_t k = starts_[cell]; k < starts_[cell + 1]; ++k) {
                const std::size_t star = members_[k];
                const double dx = places_[star].x - at.x;
                const double dy = places_[star].y - at.y;
                if (dx * dx + dy * dy <= radius * radius) {
                    near(star, dx * dx + dy * dy);
                }
            }
        }
    }
}

/// Source-star pairs that lie within `radius` pixels of each other, one to one; where two stars are nearly as near, none.
std::vector<MatchedStar> pairUp(const detect::Detection& detection,
                                std::span<const std::size_t> sources,
                                std::span<const catalog::Star> field,
                                const PlacedStars& placed,
                                double radius);

} // namespace pathmark::solve
