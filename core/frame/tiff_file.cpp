#include "core/frame/tiff_file.h"

#include "core/base/text.h"

#include <fmt/format.h>
#include <tiffio.h>

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <vector>

namespace pathmark::frame {
namespace {

struct Closer {
    void operator()(TIFF* file) const { TIFFClose(file); }
};

class TiffSource final : public FrameSource {
  public:
    TiffSource(std::unique_ptr<TIFF, Closer> file, std::filesystem::path path)
        : file_(std::move(file)), path_(std::move(path)) {}

    Result<bool> readDescription() {
        std::uint32_t width = 0;
        std::uint32_t height = 0;
        std::uint16_t planar = PLANARCONFIG_CONTIG;
        TIFFGetField(file_.get(), TIFFTAG_IMAGEWIDTH, &width);
        TIFFGetField(file_.get(), TIFFTAG_IMAGELENGTH, &height);
        TIFFGetFieldDefaulted(file_.get(), TIFFTAG_BITSPERSAMPLE, &bits_);
        TIFFGetFieldDefaulted(file_.get(), TIFFTAG_SAMPLESPERPIXEL, &samples_);
        TIFFGetFieldDefaulted(file_.get(), TIFFTAG_SAMPLEFORMAT, &format_);
        TIFFGetFieldDefaulted(file_.get(), TIFFTAG_PLANARCONFIG, &planar);
        const bool whole = format_ == SAMPLEFORMAT_UINT && (bits_ == 8 || bits_ == 16);
        const bool real = format_ == SAMPLEFORMAT_IEEEFP && bits_ == 32;
        if (width == 0 || height == 0 || width > 1'000'000 || height > 1'000'000 ||
            (!whole && !real) || samples_ == 0 || samples_ > 8 || planar != PLANARCONFIG_CONTIG ||
            TIFFIsTiled(file_.get()) != 0) {
            return fail(
                ErrorId::FrameNotAnImage,
                fmt::format("This TIFF holds {} samples of {} bits; 8 or 16 bits unsigned or "
                            "32-bit float, stored in strips, can be read. Save it so.",
                            samples_,
                            bits_),
                path_.string());
        }
        width_ = static_cast<int>(width);
        height_ = static_cast<int>(height);
        TIFFGetFieldDefaulted(file_.get(), TIFFTAG_ROWSPERSTRIP, &rowsPerStrip_);
        rowsPerStrip_ = std::min(std::max(rowsPerStrip_, 1U), height);
        rowBytes_ = static_cast<std::size_t>(width) * samples_ * bits_ / 8U;
        const auto stripBytes = TIFFStripSize(file_.get());
        // A strip of a damaged file may claim any size.
        if (stripBytes <= 0 || static_cast<std::size_t>(stripBytes) < rowBytes_ ||
            static_cast<std::size_t>(stripBytes) > (rowsPerStrip_ + 1U) * (rowBytes_ + 1U)) {
            return fail(ErrorId::FrameTruncated,
                        "The file's strips do not fit its size; save it again.",
                        path_.string());
        }
        strip_.resize(static_cast<std::size_t>(stripBytes));
        if (samples_ > 1) {
            note_ = fmt::format("the mean of its {} colour planes", samples_);
        }
        header_.set("NAXIS3", static_cast<long long>(samples_ > 1 ? samples_ : 1));
        fillHeader();
        return true;
    }

    Result<bool> rows(int firstRow, std::span<float> out) override {
        const auto width = static_cast<std::size_t>(width_);
        for (std::size_t done = 0; done < out.size(); done += width) {
            const auto row =
                static_cast<std::uint32_t>(firstRow) + static_cast<std::uint32_t>(done / width);
            if (!loadStrip(row / rowsPerStrip_, row % rowsPerStrip_)) {
                return fail(
                    ErrorId::FrameTruncated,
                    "The file ends before its pixels do; copy it again from the camera's disk.",
                    path_.string());
            }
            row_ = strip_.data() + static_cast<std::size_t>(row % rowsPerStrip_) * rowBytes_;
            convertRow(out.subspan(done, width));
        }
        return true;
    }

  private:
    /// Unpacks one strip, unless it is the one in hand; false where the row is not in it.
    bool loadStrip(std::uint32_t strip, std::uint32_t row) {
        if (loaded_ != static_cast<std::int64_t>(strip)) {
            loaded_ = -1;
            const auto got = TIFFReadEncodedStrip(
                file_.get(), strip, strip_.data(), static_cast<tmsize_t>(strip_.size()));
            stripFilled_ = got > 0 ? static_cast<std::size_t>(got) : 0;
            loaded_ = got > 0 ? static_cast<std::int64_t>(strip) : -1;
        }
        return loaded_ >= 0 && (static_cast<std::size_t>(row) + 1U) * rowBytes_ <= stripFilled_;
    }

    void convertRow(std::span<float> out) const {
        const float share = 1.0F / static_cast<float>(samples_);
        for (std::size_t x = 0; x < out.size(); ++x) {
            float sum = 0.0F;
            for (std::size_t s = 0; s < samples_; ++s) {
                sum += sample(x * samples_ + s);
            }
            out[x] = samples_ == 1 ? sum : sum * share;
        }
    }

    [[nodiscard]] float sample(std::size_t i) const {
        if (bits_ == 8) {
            return static_cast<float>(row_[i]);
        }
        if (bits_ == 16) {
            std::uint16_t value = 0;
            std::memcpy(&value, row_ + 2 * i, 2);
            return static_cast<float>(value);
        }
        float value = 0.0F;
        std::memcpy(&value, row_ + 4 * i, 4);
        return value;
    }

    [[nodiscard]] std::string text(std::uint32_t tag) const {
        const char* words = nullptr;
        return TIFFGetField(file_.get(), tag, &words) == 1 && words != nullptr
                   ? std::string(trim(words))
                   : std::string();
    }

    void fillHeader() {
        std::string time = text(TIFFTAG_DATETIME); // "2031:04:05 06:07:08"
        if (time.size() == 19 && time[4] == ':' && time[7] == ':') {
            time[4] = time[7] = '-';
            time[10] = 'T';
            header_.set("DATE-OBS", time, "from the TIFF's DateTime");
        }
        const std::string camera(trim(text(TIFFTAG_MAKE) + " " + text(TIFFTAG_MODEL)));
        if (!camera.empty()) {
            header_.set("INSTRUME", camera, "from the TIFF's Make and Model");
        }
        // Capture software that writes TIFF often keeps its FITS cards in the description, one a line.
        const std::string description = text(TIFFTAG_IMAGEDESCRIPTION);
        for (const std::string_view line : split(description, '\n')) {
            const std::size_t equals = line.find('=');
            const std::string keyword(trim(line.substr(0, equals)));
            if (equals == std::string_view::npos || keyword.empty() || keyword.size() > 8 ||
                keyword.find(' ') != std::string::npos) {
                continue;
            }
            std::string_view value = line.substr(equals + 1);
            value = trim(value.substr(0, value.find(" /")));
            if (const auto number = parseNumber(value)) {
                header_.set(keyword, *number);
            } else {
                while (!value.empty() && value.front() == '\'') {
                    value.remove_prefix(1);
                }
                while (!value.empty() && value.back() == '\'') {
                    value.remove_suffix(1);
                }
                header_.set(keyword, std::string(trim(value)));
            }
        }
    }

    std::unique_ptr<TIFF, Closer> file_;
    std::filesystem::path path_;
    std::uint16_t bits_ = 0;
    std::uint16_t samples_ = 1;
    std::uint16_t format_ = SAMPLEFORMAT_UINT;
    std::uint32_t rowsPerStrip_ = 1;
    std::size_t rowBytes_ = 0;
    std::vector<unsigned char> strip_;
    std::size_t stripFilled_ = 0;
    std::int64_t loaded_ = -1; ///< which strip is in hand
    const unsigned char* row_ = nullptr;
};

} // namespace

Result<std::unique_ptr<FrameSource>> openTiff(const std::filesystem::path& path) {
    TIFFSetErrorHandler(nullptr);
    TIFFSetWarningHandler(nullptr);
    std::unique_ptr<TIFF, Closer> file(TIFFOpen(path.c_str(), "r"));
    if (file == nullptr) {
        return fail(ErrorId::FrameNotReadable, "Cannot be read as TIFF.", path.string());
    }
    auto source = std::make_unique<TiffSource>(std::move(file), path);
    if (auto read = source->readDescription(); !read) {
        return fail(read.error());
    }
    return std::unique_ptr<FrameSource>(std::move(source));
}

} // namespace pathmark::frame
