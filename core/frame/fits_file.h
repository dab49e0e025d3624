#pragma once

#include "core/base/result.h"
#include "core/frame/fits_header.h"
#include "core/frame/image.h"

#include <filesystem>
#include <memory>
#include <span>

namespace pathmark::frame {

/// A FITS file open for reading: the first image with two axes, whatever extension it stands in.
/// Pixels come as float with BSCALE and BZERO applied and BLANK as NaN; rows come in any order, so
/// that a frame never has to be whole in memory.
class FitsReader {
  public:
    /// Errors   frame.not_readable  missing, unreadable or not FITS
    ///          frame.not_an_image  no image of two axes in it
    ///          frame.truncated     the file is shorter than its header says
    static Result<FitsReader> open(const std::filesystem::path& path);

    FitsReader(FitsReader&&) noexcept;
    FitsReader& operator=(FitsReader&&) noexcept;
    ~FitsReader();

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

    [[nodiscard]] const Header& header() const { return header_; }

    /// Reads whole rows.
    ///
    /// Shapes   0 <= firstRow, out.size() a multiple of width().
    /// Errors   frame.truncated, frame.not_readable
    Result<bool> rows(int firstRow, std::span<float> out);

    Result<Image> image();

  private:
    struct Handle;
    FitsReader();

    std::unique_ptr<Handle> handle_;
    std::filesystem::path path_;
    Header header_;
    int width_ = 0;
    int height_ = 0;
};

struct LoadedFrame {
    Image image;
    Header header;
};

/// The whole image and its header.
Result<LoadedFrame> readFits(const std::filesystem::path& path);

/// The header alone (of a file without pixels too, such as a .wcs file).
Result<Header> readFitsHeader(const std::filesystem::path& path);

enum class PixelType { Float32, UInt16 };

/// Writes an image with a header, whole or not at all. Structural keywords in `header` are ignored.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeFits(const std::filesystem::path& path,
                       const Image& image,
                       const Header& header,
                       PixelType type = PixelType::Float32);

/// Writes a header with no pixels.
Result<bool> writeFitsHeader(const std::filesystem::path& path, const Header& header);

} // namespace pathmark::frame
