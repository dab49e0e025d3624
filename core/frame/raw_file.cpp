#include "core/frame/raw_file.h"

#include "core/base/text.h"

#include <fmt/format.h>
#include <libraw/libraw.h>

#include <array>
#include <ctime>

namespace pathmark::frame {
namespace {

constexpr unsigned kSixBySix = 9; ///< LibRaw's mark of a pattern that repeats after six pixels

/// The wall clock that the camera showed; LibRaw has turned it into a time with the local zone.
std::string cameraClock(std::time_t stamp) {
    std::tm parts{};
    localtime_r(&stamp, &parts);
    return fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}",
                       parts.tm_year + 1900,
                       parts.tm_mon + 1,
                       parts.tm_mday,
                       parts.tm_hour,
                       parts.tm_min,
                       parts.tm_sec);
}

class RawSource final : public FrameSource {
  public:
    RawSource() { streams_ = false; }

    Result<bool> open(const std::filesystem::path& path) {
        int status = raw_.open_file(path.c_str());
        if (status == LIBRAW_SUCCESS) {
            status = raw_.unpack();
        }
        if (status != LIBRAW_SUCCESS) {
            const bool cut = status == LIBRAW_IO_ERROR || status == LIBRAW_DATA_ERROR;
            return fail(
                cut ? ErrorId::FrameTruncated : ErrorId::FrameNotReadable,
                cut ? "The file ends before its pixels do or is damaged; copy it again from the "
                      "camera's card."
                    : fmt::format("Cannot be read as a camera's raw file ({}).",
                                  libraw_strerror(status)),
                path.string());
        }
        const auto& sizes = raw_.imgdata.sizes;
        const unsigned filters = raw_.imgdata.idata.filters;
        const bool pattern = filters == 0 || filters == kSixBySix || filters >= 1000;
        if (raw_.imgdata.rawdata.raw_image == nullptr || !pattern || sizes.width == 0 ||
            sizes.height == 0) {
            return fail(ErrorId::FrameNotAnImage,
                        "The sensor of this camera has no colour pattern of 2 x 2 or 6 x 6; "
                        "convert the file to "
                        "16-bit TIFF.",
                        path.string());
        }
        width_ = sizes.width;
        height_ = sizes.height;
        fillHeader();
        return true;
    }

    Result<bool> rows(int firstRow, std::span<float> out) override {
        const auto& sizes = raw_.imgdata.sizes;
        const std::size_t pitch = sizes.raw_pitch / 2U;
        const auto width = static_cast<std::size_t>(width_);
        for (std::size_t i = 0; i < out.size(); ++i) {
            const std::size_t row =
                static_cast<std::size_t>(firstRow) + i / width + sizes.top_margin;
            out[i] = static_cast<float>(
                raw_.imgdata.rawdata.raw_image[row * pitch + i % width + sizes.left_margin]);
        }
        return true;
    }

  private:
    void fillHeader() {
        const auto& other = raw_.imgdata.other;
        const auto& id = raw_.imgdata.idata;
        if (other.timestamp > 0) {
            header_.set(
                "DATE-OBS", cameraClock(other.timestamp), "the camera's clock, taken as UTC");
        }
        header_.set("EXPTIME", static_cast<double>(other.shutter), "[s] as the camera says");
        header_.set("GAIN", static_cast<double>(other.iso_speed), "ISO");
        const std::string camera(trim(fmt::format("{} {}", id.make, id.model)));
        if (!camera.empty()) {
            header_.set("INSTRUME", camera);
        }
        if (other.focal_len > 0.0F) {
            header_.set("FOCALLEN",
                        static_cast<double>(other.focal_len),
                        "[mm] of the lens, if it has one");
        }
        if (id.filters != 0) {
            const int side = id.filters == kSixBySix ? 6 : 2;
            std::string pattern;
            for (int place = 0; place < side * side; ++place) {
                pattern += id.cdesc[raw_.COLOR(place / side, place % side)];
            }
            header_.set("BAYERPAT", pattern);
            header_.set("ROWORDER", std::string("TOP-DOWN"));
        }
        header_.set("SATURATE", static_cast<double>(raw_.imgdata.color.maximum), "[ADU]");
    }

    LibRaw raw_;
};

} // namespace

Result<std::unique_ptr<FrameSource>> openRaw(const std::filesystem::path& path) {
    auto source = std::make_unique<RawSource>();
    if (auto opened = source->open(path); !opened) {
        return fail(opened.error());
    }
    return std::unique_ptr<FrameSource>(std::move(source));
}

} // namespace pathmark::frame
