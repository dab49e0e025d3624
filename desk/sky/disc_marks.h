#pragma once

#include "core/frame/image.h"
#include "desk/sky/sky_layer.h"

#include <utility>
#include <vector>

namespace pathmark::desk {

/// A part of the picture that is never taken for sky.
struct DiscMark {
    frame::PixelPos centre; ///< on the picture
    double radius = 0.0;    ///< pixels of the picture
    bool isMarked = true;   ///< by hand in this frame; else as the frames around have it
};

/// Circles about what is no sky: whole where it was marked, broken where that follows from other frames.
class DiscLayer final : public SkyLayer {
  public:
    explicit DiscLayer(std::vector<DiscMark> marks) : marks_(std::move(marks)) {}

    void draw(QPainter& painter, const SkyPlaces& places, LabelGround& ground) const override;

  private:
    std::vector<DiscMark> marks_;
};

} // namespace pathmark::desk
