#include "core/picture/picture_file.h"

#include "core/base/atomic_file.h"
#include "core/frame/fits_file.h"

#include <fmt/format.h>
#include <lcms2.h>
#include <png.h>
#include <tiffio.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <memory>
#include <vector>

namespace pathmark::picture {
namespace {

namespace fs = std::filesystem;

std::string endingOf(const fs::path& path) {
    std::string ending = path.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) {
        return static_cast<char>(std::tolower(c));
    });
    return ending;
}

/// The profile of the sRGB colour space.
std::vector<std::uint8_t> screenProfile() {
    const std::unique_ptr<void, decltype(&cmsCloseProfile)> profile(cmsCreate_sRGBProfile(),
                                                                    &cmsCloseProfile);
    cmsUInt32Number size = 0;
    std::vector<std::uint8_t> bytes;
    if (profile && cmsSaveProfileToMem(profile.get(), nullptr, &size) != 0) {
        bytes.resize(size);
        cmsSaveProfileToMem(profile.get(), bytes.data(), &size);
    }
    return bytes;
}

/// One row of 16-bit values, red, green and blue in turn, counted from the top.
std::vector<std::uint16_t> rowFromTop(const ColourPicture& picture, int row) {
    std::vector<std::uint16_t> values;
    values.reserve(3 * static_cast<std::size_t>(picture.width()));
    const int y = picture.height() - 1 - row;
    for (int x = 0; x < picture.width(); ++x) {
        for (const auto& plane : picture.planes) {
            values.push_back(static_cast<std::uint16_t>(
                std::lround(65535.0F * std::clamp(plane.at(x, y), 0.0F, 1.0F))));
        }
    }
    return values;
}

Result<bool>
writeTiff(const fs::path& path, const ColourPicture& picture, const PictureNote& note) {
    const std::unique_ptr<TIFF, decltype(&TIFFClose)> file(TIFFOpen(path.c_str(), "w"), &TIFFClose);
    if (!file) {
        return fail(writeError(errno, path));
    }
    const auto profile = screenProfile();
    TIFF* tiff = file.get();
    TIFFSetField(tiff, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(picture.width()));
    TIFFSetField(tiff, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(picture.height()));
    TIFFSetField(tiff, TIFFTAG_BITSPERSAMPLE, 16);
    TIFFSetField(tiff, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(tiff, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(tiff, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tiff, TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
    TIFFSetField(tiff, TIFFTAG_PREDICTOR, PREDICTOR_HORIZONTAL);
    TIFFSetField(tiff, TIFFTAG_ROWSPERSTRIP, 32);
    TIFFSetField(tiff, TIFFTAG_IMAGEDESCRIPTION, note.sentence().c_str());
    TIFFSetField(tiff, TIFFTAG_SOFTWARE, "Path Mark");
    TIFFSetField(
        tiff, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(profile.size()), profile.data());
    for (int row = 0; row < picture.height(); ++row) {
        auto values = rowFromTop(picture, row);
        if (TIFFWriteScanline(tiff, values.data(), static_cast<std::uint32_t>(row), 0) < 0) {
            return fail(writeError(errno, path));
        }
    }
    return TIFFFlush(tiff) != 0 ? Result<bool>(true) : fail(writeError(errno, path));
}

/// What libpng works with, given back whatever happens.
struct PngWriting {
    png_structp png = nullptr;
    png_infop info = nullptr;

    PngWriting() {
        png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
        info = png != nullptr ? png_create_info_struct(png) : nullptr;
    }

    ~PngWriting() { png_destroy_write_struct(&png, &info); }

    PngWriting(const PngWriting&) = delete;
    PngWriting& operator=(const PngWriting&) = delete;
};

/// The part that libpng may leave by a jump: nothing in it needs to be destroyed.
bool putPng(PngWriting& writing,
            std::FILE* file,
            const ColourPicture& picture,
            std::vector<std::uint8_t>& profile,
            std::vector<png_text>& texts,
            std::vector<std::vector<std::uint16_t>>& rows) {
    if (setjmp(png_jmpbuf(writing.png)) != 0) { // NOLINT(modernize-avoid-setjmp-longjmp)
        return false;
    }
    png_init_io(writing.png, file);
    png_set_IHDR(writing.png,
                 writing.info,
                 static_cast<png_uint_32>(picture.width()),
                 static_cast<png_uint_32>(picture.height()),
                 16,
                 PNG_COLOR_TYPE_RGB,
                 PNG_INTERLACE_NONE,
                 PNG_COMPRESSION_TYPE_DEFAULT,
                 PNG_FILTER_TYPE_DEFAULT);
    png_set_iCCP(writing.png,
                 writing.info,
                 "sRGB",
                 PNG_COMPRESSION_TYPE_BASE,
                 profile.data(),
                 static_cast<png_uint_32>(profile.size()));
    png_set_text(writing.png, writing.info, texts.data(), static_cast<int>(texts.size()));
    png_write_info(writing.png, writing.info);
    png_set_swap(writing.png);
    for (auto& row : rows) {
        png_write_row(writing.png, reinterpret_cast<png_bytep>(row.data()));
    }
    png_write_end(writing.png, writing.info);
    return true;
}

Result<bool> writePng(const fs::path& path, const ColourPicture& picture, const PictureNote& note) {
    const std::unique_ptr<std::FILE, decltype(&std::fclose)> file(std::fopen(path.c_str(), "wb"),
                                                                  &std::fclose);
    PngWriting writing;
    if (!file || writing.info == nullptr) {
        return fail(writeError(errno, path));
    }
    auto profile = screenProfile();
    std::string description = note.sentence();
    std::string software = "Path Mark";
    std::string descriptionKey = "Description";
    std::string softwareKey = "Software";
    std::vector<png_text> texts(2);
    texts[0].compression = PNG_TEXT_COMPRESSION_NONE;
    texts[0].key = descriptionKey.data();
    texts[0].text = description.data();
    texts[1].compression = PNG_TEXT_COMPRESSION_NONE;
    texts[1].key = softwareKey.data();
    texts[1].text = software.data();
    std::vector<std::vector<std::uint16_t>> rows;
    rows.reserve(static_cast<std::size_t>(picture.height()));
    for (int row = 0; row < picture.height(); ++row) {
        rows.push_back(rowFromTop(picture, row));
    }
    if (!putPng(writing, file.get(), picture, profile, texts, rows) ||
        std::fflush(file.get()) != 0) {
        return fail(writeError(errno, path));
    }
    return true;
}

Result<bool> writeCube(const fs::path& path,
                       const ColourPicture& linear,
                       const ColourPicture& stretched,
                       const PictureNote& note) {
    frame::Header header;
    header.set("OBJECT", note.object, "what it shows");
    header.set("DATE-AVG", note.time, "when it is so");
    header.set("PMPLANES", note.filters, "red, green, blue");
    header.set("BUNIT", std::string("electron"), "of the reference frame");
    frame::writeWcs(note.wcs, header);
    const std::array<frame::NamedCube, 2> cubes{frame::NamedCube{"", &linear.planes},
                                                frame::NamedCube{"STRETCHED", &stretched.planes}};
    return frame::writeFitsCubes(path, cubes, header);
}

} // namespace

std::string PictureNote::sentence() const {
    const double turn = std::remainder(wcs.rotation().degrees(), 360.0);
    return fmt::format("{}, {}, {:.3f} arcsec per pixel, up at position angle {:.1f}{}; {}",
                       object,
                       time,
                       wcs.scaleArcsec(),
                       turn < 0.0 ? turn + 360.0 : turn,
                       wcs.mirrored() ? ", mirrored" : "",
                       filters);
}

bool isPictureName(const fs::path& path) {
    const std::string ending = endingOf(path);
    return ending == ".fits" || ending == ".fit" || ending == ".tif" || ending == ".tiff" ||
           ending == ".png";
}

Result<bool> writePicture(const fs::path& path,
                          const ColourPicture& linear,
                          const ColourPicture& stretched,
                          const PictureNote& note) {
    const std::string ending = endingOf(path);
    if (ending == ".fits" || ending == ".fit") {
        return writeCube(path, linear, stretched, note);
    }
    return writeWhole(path, [&](const fs::path& temporary) {
        return ending == ".png" ? writePng(temporary, stretched, note)
                                : writeTiff(temporary, stretched, note);
    });
}

} // namespace pathmark::picture
