#include "core/survey/tile_file.h"

#include "core/base/whole_file.h"
#include "core/frame/fits_file.h"

#include <jpeglib.h>
#include <png.h>

#include <csetjmp>
#include <limits>
#include <string>
#include <vector>

namespace pathmark::survey {
namespace {

namespace fs = std::filesystem;

constexpr int kLargestSide = 8192;
constexpr auto kNone = std::numeric_limits<float>::quiet_NaN();

tl::unexpected<Error> damaged(const fs::path& path) {
    return fail(ErrorId::FrameNotAnImage, "This tile of the survey is damaged.", path.string());
}

Result<frame::Image> readPng(const fs::path& path) {
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    if (png_image_begin_read_from_file(&image, path.c_str()) == 0) {
        return damaged(path);
    }
    image.format = PNG_FORMAT_GA;
    if (image.width > kLargestSide || image.height > kLargestSide) {
        png_image_free(&image);
        return damaged(path);
    }
    std::vector<png_byte> bytes(PNG_IMAGE_SIZE(image));
    if (png_image_finish_read(&image, nullptr, bytes.data(), 0, nullptr) == 0) {
        return damaged(path);
    }
    const int width = static_cast<int>(image.width);
    const int height = static_cast<int>(image.height);
    frame::Image result(width, height);
    for (int y = 0; y < height; ++y) {
        const png_byte* row = bytes.data() + static_cast<std::size_t>(height - 1 - y) *
                                                 static_cast<std::size_t>(width) * 2;
        for (int x = 0; x < width; ++x) {
            result.at(x, y) = row[2 * x + 1] == 0 ? kNone : static_cast<float>(row[2 * x]);
        }
    }
    return result;
}

/// The library leaves by a jump where a file is damaged.
struct JpegErrors {
    jpeg_error_mgr base;
    std::jmp_buf back;
};

void leave(j_common_ptr info) {
    std::longjmp(reinterpret_cast<JpegErrors*>(info->err)->back, 1);
}

void sayNothing(j_common_ptr, int) {}

/// The part that libjpeg may leave by a jump: nothing in it needs to be destroyed. False: damaged.
bool decodeJpeg(const std::string& file,
                std::vector<unsigned char>& bytes,
                unsigned& width,
                unsigned& height) {
    jpeg_decompress_struct info;
    JpegErrors errors;
    info.err = jpeg_std_error(&errors.base);
    errors.base.error_exit = &leave;
    errors.base.emit_message = &sayNothing;
    jpeg_create_decompress(&info);
    if (setjmp(errors.back) != 0) { // NOLINT(cert-err52-cpp): the library knows no other way
        jpeg_destroy_decompress(&info);
        return false;
    }
    jpeg_mem_src(&info, reinterpret_cast<const unsigned char*>(file.data()), file.size());
    jpeg_read_header(&info, TRUE);
    info.out_color_space = JCS_GRAYSCALE;
    jpeg_start_decompress(&info);
    width = info.output_width;
    height = info.output_height;
    if (width > kLargestSide || height > kLargestSide) {
        jpeg_destroy_decompress(&info);
        return false;
    }
    bytes.resize(static_cast<std::size_t>(width) * height);
    while (info.output_scanline < height) {
        JSAMPROW row = bytes.data() + static_cast<std::size_t>(info.output_scanline) * width;
        jpeg_read_scanlines(&info, &row, 1);
    }
    const bool isWhole = info.err->num_warnings == 0;
    jpeg_finish_decompress(&info);
    jpeg_destroy_decompress(&info);
    return isWhole;
}

Result<frame::Image> readJpeg(const fs::path& path) {
    const auto file = readWholeFile(path);
    std::vector<unsigned char> bytes;
    unsigned width = 0;
    unsigned height = 0;
    if (!file || !decodeJpeg(*file, bytes, width, height) || width == 0 || height == 0) {
        return damaged(path);
    }
    frame::Image result(static_cast<int>(width), static_cast<int>(height));
    for (unsigned y = 0; y < height; ++y) {
        for (unsigned x = 0; x < width; ++x) {
            result.at(static_cast<int>(x), static_cast<int>(height - 1 - y)) =
                static_cast<float>(bytes[static_cast<std::size_t>(y) * width + x]);
        }
    }
    return result;
}

} // namespace

const char* ending(TileFormat format) {
    switch (format) {
    case TileFormat::Fits: return "fits";
    case TileFormat::Png: return "png";
    case TileFormat::Jpeg: return "jpg";
    }
    return "";
}

Result<frame::Image> readTile(const fs::path& path, TileFormat format) {
    switch (format) {
    case TileFormat::Fits: {
        auto loaded = frame::readFits(path);
        return loaded ? Result<frame::Image>(std::move(loaded->image)) : fail(loaded.error());
    }
    case TileFormat::Png: return readPng(path);
    case TileFormat::Jpeg: return readJpeg(path);
    }
    return damaged(path);
}

} // namespace pathmark::survey
