#pragma once

#include "core/base/angle.h"
#include "core/frame/image.h"
#include "desk/sky/label_ground.h"

#include <QPointF>
#include <QRectF>

#include <functional>
#include <optional>

class QPainter;

namespace pathmark::desk {

/// Where places of the sky and of the picture are on the screen.
struct SkyPlaces {
    std::function<std::optional<QPointF>(SkyPos)> ofSky; ///< nullopt: on the other side of the sky
    std::function<QPointF(frame::PixelPos)> ofPixel;
    QRectF seen;
    double zoom = 1.0; ///< screen pixels per pixel of the picture
};

/// Something that lies over the picture. Layers are drawn in order, and take the ground that their labels and lines stand on.
class SkyLayer {
  public:
    SkyLayer() = default;
    virtual ~SkyLayer() = default;
    SkyLayer(const SkyLayer&) = delete;
    SkyLayer& operator=(const SkyLayer&) = delete;

    virtual void draw(QPainter& painter, const SkyPlaces& places, LabelGround& ground) const = 0;
};

} // namespace pathmark::desk
