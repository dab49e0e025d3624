#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"
#include "core/night/records.h"
#include "core/stack/resample.h"

#include <QImage>
#include <QString>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// What the Sky shows: the values, their eight-bit picture and the way to the sky.
struct Picture {
    QString title;
    frame::Image values;
    QImage display;
    std::vector<QImage>
        reduced; ///< each of half the size of the one before, area-averaged; for showing it small
    std::optional<frame::Wcs> wcs;
    QString filter;
};

/// How far the stretch reaches above the sky; the middle of its slider is 0.
struct Stretch {
    int brightness = 0; ///< -10 to 10

    friend bool operator==(const Stretch&, const Stretch&) = default;
};

/// Reads a light, brought onto the grid, and stretches it.
Result<std::shared_ptr<const Picture>> loadLight(const night::LightRecord& light,
                                                 const std::optional<stack::PixelGrid>& grid,
                                                 Stretch stretch);

/// The same light as it came from the camera, on the same grid.
Result<std::shared_ptr<const Picture>> loadRaw(const night::LightRecord& light,
                                               const std::optional<stack::PixelGrid>& grid,
                                               Stretch stretch);

/// Reads a stack as it is.
Result<std::shared_ptr<const Picture>>
loadStack(const std::filesystem::path& path, const QString& title, Stretch stretch);

/// Values in eight bits: asinh between the ends of their display range, first row at the bottom.
QImage stretched(const frame::Image& values, Stretch stretch);

/// Makes what is shown of the values, in full and reduced.
void makeDisplay(Picture& picture, Stretch stretch);

} // namespace pathmark::desk
