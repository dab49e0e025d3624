#pragma once

#include "core/frame/image.h"
#include "desk/sky/sky_layer.h"

#include <utility>
#include <vector>

namespace pathmark::desk {

/// What a star or source of the picture is, by its mark.
enum class StarMarkKind {
    Matched,    ///< four short corner ticks
    Rejected,   ///< the same with the corners crossed through
    Unclear,    ///< two of the four ticks
    SourceOnly, ///< a short bar below
    StarOnly,   ///< a small hollow lozenge
};

struct StarMark {
    StarMarkKind kind = StarMarkKind::Matched;
    frame::PixelPos place; ///< on the picture
    bool chosen = false;
    double weight = 0.0; ///< 0 to 1: brighter stars of the catalogue have larger lozenges
};

/// Stars and sources; marks stand around their places, never over them.
class StarLayer final : public SkyLayer {
  public:
    explicit StarLayer(std::vector<StarMark> marks) : marks_(std::move(marks)) {}

    void draw(QPainter& painter, const SkyPlaces& places, LabelGround& ground) const override;

  private:
    std::vector<StarMark> marks_;
};

} // namespace pathmark::desk
