#pragma once

#include "core/frame/frame_source.h"

#include <array>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

namespace pathmark::frame {

/// A FITS file open for reading: its image of two axes, whatever extension it stands in. Of several the
/// largest counts (the first of equals; maps of weights, errors and flags never do), and `note` says
/// which. A cube of three planes is read as their mean, of any other cube the first plane. Keywords
/// that only the primary header has are added to those of an extension. Pixels come as float with
/// BSCALE and BZERO applied and BLANK as NaN.
class FitsReader final : public FrameSource {
  public:
    /// A file, or one image of it (ImagePath).
    ///
    /// Errors   frame.not_readable  missing, unreadable or not FITS
    ///          frame.not_an_image  no image of two axes in it, or one without pixels
    ///          frame.truncated     the file is shorter than its header says
    static Result<FitsReader> open(const std::filesystem::path& path);

    FitsReader(FitsReader&&) noexcept;
    FitsReader& operator=(FitsReader&&) noexcept;
    ~FitsReader() override;

    Result<bool> rows(int firstRow, std::span<float> out) override;

    /// Which extensions are meant.
    enum class ExtensionSize {
        Same, ///< of this image's size
        Own   ///< of any that holds no more pixels
    };

    /// Reads the image extension of that name, e.g. "VARIANCE".
    ///
    /// Errors   frame.not_an_image  there is none
    Result<Image> extension(const std::string& name, ExtensionSize size = ExtensionSize::Same);

  private:
    struct Handle;
    FitsReader();
    Result<bool> planeRows(long plane, int firstRow, std::span<float> out);

    std::unique_ptr<Handle> handle_;
    std::filesystem::path path_;
    int planes_ = 1;
};

struct LoadedFrame {
    Image image;
    Header header;
};

/// The frames of a file: the file itself, or each of its images where several are of one size and kind, as of a camera of several
/// sensors or of a run of exposures kept in one file. A file that we wrote, that cannot be read or is packed as
/// a whole is one.
std::vector<std::filesystem::path> framesOfFile(const std::filesystem::path& path);

/// The whole image and its header.
Result<LoadedFrame> readFits(const std::filesystem::path& path);

/// The header alone (of a file without pixels too, such as a .wcs file).
Result<Header> readFitsHeader(const std::filesystem::path& path);

enum class PixelType { Float32, UInt16 };

/// A further image of a file, after the first.
struct NamedImage {
    std::string name; ///< EXTNAME
    const Image* image = nullptr;
};

/// Writes an image with a header, whole or not at all. Structural keywords in `header` are ignored.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeFits(const std::filesystem::path& path,
                       const Image& image,
                       const Header& header,
                       PixelType type = PixelType::Float32,
                       std::span<const NamedImage> extensions = {});

/// Three planes of one size as one image of three axes.
struct NamedCube {
    std::string name; ///< EXTNAME; empty: the first image, which the header is of
    const std::array<Image, 3>* planes = nullptr;
};

/// Writes cubes of three planes, whole or not at all; the first one has the header.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool> writeFitsCubes(const std::filesystem::path& path,
                            std::span<const NamedCube> cubes,
                            const Header& header);

/// Writes a header with no pixels.
Result<bool> writeFitsHeader(const std::filesystem::path& path, const Header& header);

} // namespace pathmark::frame
