#pragma once

#include "core/base/result.h"
#include "core/calibrate/colour_planes.h"
#include "core/frame/image.h"
#include "core/night/frame_picture.h"
#include "core/night/pair_picture.h"
#include "core/night/records.h"
#include "core/night/then_picture.h"
#include "core/stack/pixel_grid.h"

#include <QImage>
#include <QString>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// What the Sky shows: the values, their picture in eight bits, grey or coloured, and the way to the sky.
struct Picture {
    QString title;
    frame::Image values;
    QImage display;
    std::vector<QImage>
        reduced; ///< each of half the size of the one before, area-averaged; for showing it small
    std::optional<frame::Wcs> wcs; ///< of its own pixels
    std::optional<stack::PixelGrid>
        grid; ///< that it is laid on, so that the sky stands still from frame to frame

    bool hasMarks =
        true; ///< what is known of a frame is marked on it: not on a picture of many frames

    [[nodiscard]] std::size_t bytes() const;
};

/// How far the stretch reaches above the sky; the middle of its slider is 0.
struct Stretch {
    int brightness = 0; ///< -10 to 10

    friend bool operator==(const Stretch&, const Stretch&) = default;
};

/// A light, and the colour pattern of the camera's file; empty: none.
struct LightFile {
    night::LightRecord light;
    std::string pattern;
};

/// Reads a light, to be laid on the grid, and stretches it.
Result<std::shared_ptr<const Picture>>
loadLight(const LightFile& file, const std::optional<stack::PixelGrid>& grid, Stretch stretch);

/// The same light as it came from the camera, on the same grid.
Result<std::shared_ptr<const Picture>>
loadRaw(const LightFile& file, const std::optional<stack::PixelGrid>& grid, Stretch stretch);

/// What is shown of a stack: its light, or a map beside it.
enum class StackMap { Light, Noise, Coverage, ClippedLow, ClippedHigh };

constexpr int kStackMaps = 5;

/// Reads a stack as it is.
///
/// Errors   frame.not_an_image  it has no such map, and those of the reader
Result<std::shared_ptr<const Picture>> loadStack(const std::filesystem::path& path,
                                                 const QString& title,
                                                 const std::optional<stack::PixelGrid>& grid,
                                                 Stretch stretch,
                                                 StackMap map = StackMap::Light);

/// Another frame on the pixels of one, or both added there: see night::pairPicture.
Result<std::shared_ptr<const Picture>> loadPair(const night::LightRecord& here,
                                                const night::LightRecord& other,
                                                night::PairPart part,
                                                const std::optional<stack::PixelGrid>& grid,
                                                Stretch stretch);

/// An older picture on the pixels of a light; from the sky on, unless another range is given.
std::shared_ptr<const Picture> thenShown(const night::ThenPicture& then,
                                         const night::LightRecord& light,
                                         const std::optional<stack::PixelGrid>& grid,
                                         Stretch stretch,
                                         std::optional<night::DisplayRange> range = std::nullopt);

/// Values in eight bits: asinh between the ends of their display range, first row at the bottom.
QImage stretched(const frame::Image& values, Stretch stretch);
/// The same between given ends.
QImage stretched(const frame::Image& values, Stretch stretch, const night::DisplayRange& range);

/// Makes what is shown of the values, or of their colours, in full and reduced; from the sky on, unless another range is given.
void makeDisplay(Picture& picture,
                 Stretch stretch,
                 std::optional<calibrate::ColourImage> colours = std::nullopt,
                 std::optional<night::DisplayRange> range = std::nullopt);

} // namespace pathmark::desk
