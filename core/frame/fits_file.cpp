#include "core/frame/fits_file.h"

#include "core/base/fits_library.h"
#include "core/base/parallel.h"
#include "core/base/text.h"
#include "core/frame/fits_cards.h"
#include "core/frame/fits_pixels.h"
#include "core/frame/image_path.h"
#include "core/frame/tile_check.h"

#include <fcntl.h>
#include <fitsio.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdint>
#include <fstream>
#include <functional>
#include <limits>
#include <optional>
#include <system_error>

namespace pathmark::frame {
namespace fs = std::filesystem;

struct FitsReader::Handle {
    fitsfile* file =
        nullptr; ///< none once a plain file's layout is known: it is then read directly
    std::optional<FitsPixelLayout> plain;
    LONGLONG dataStart = 0; ///< of the image, in bytes

    Handle() = default;
    Handle(const Handle&) = delete;
    Handle& operator=(const Handle&) = delete;

    ~Handle() {
        int status = 0;
        if (file != nullptr) {
            fits_close_file(file, &status);
        }
    }
};

namespace {

std::string statusText(int status) {
    std::array<char, FLEN_STATUS> text{};
    fits_get_errstatus(status, text.data());
    return text.data();
}

Error readError(int status, const fs::path& path) {
    if (status == END_OF_FILE || status == READ_ERROR || status == DATA_DECOMPRESSION_ERR) {
        return {ErrorId::FrameTruncated,
                "The file ends before its pixels do; copy it again from the camera's disk.",
                path.string()};
    }
    return {ErrorId::FrameNotReadable,
            fmt::format("Cannot be read as FITS ({}).", statusText(status)),
            path.string()};
}

/// What the library must not even be shown: files that are no FITS, and packed ones that claim to unpack to more
/// than deflate can pack (1032 : 1) or than a frame can be; it would ask for that much memory.
std::optional<Error> objectionTo(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    std::array<char, 6> bytes{};
    stream.read(bytes.data(), bytes.size());
    const std::string_view start(bytes.data(), static_cast<std::size_t>(stream.gcount()));
    if (start.starts_with("\x1f\x8b")) {
        std::error_code status;
        const auto packed = fs::file_size(path, status);
        std::array<unsigned char, 4> tail{};
        stream.clear();
        stream.seekg(-4, std::ios::end);
        stream.read(reinterpret_cast<char*>(tail.data()), tail.size());
        const auto unpacked = static_cast<std::uintmax_t>(tail[0]) |
                              static_cast<std::uintmax_t>(tail[1]) << 8U |
                              static_cast<std::uintmax_t>(tail[2]) << 16U |
                              static_cast<std::uintmax_t>(tail[3]) << 24U;
        if (status || !stream || unpacked > 1032U * packed + 4096U) {
            return readError(END_OF_FILE, path);
        }
        return std::nullopt;
    }
    if (stream.is_open() && start != "SIMPLE") {
        return start.empty()
                   ? readError(END_OF_FILE, path)
                   : Error{ErrorId::FrameNotReadable, "This is no FITS file.", path.string()};
    }
    return std::nullopt;
}

/// What a file must hold for the image in hand to be whole; the library itself notices only on reading.
LONGLONG bytesOfUnit(fitsfile* file) {
    int status = 0;
    if (fits_is_compressed_image(file, &status) != 0) {
        LONGLONG rowBytes = 0;
        LONGLONG rows = 0;
        LONGLONG heap = 0;
        fits_read_key(file, TLONGLONG, "NAXIS1", &rowBytes, nullptr, &status);
        fits_read_key(file, TLONGLONG, "NAXIS2", &rows, nullptr, &status);
        fits_read_key(file, TLONGLONG, "PCOUNT", &heap, nullptr, &status);
        return status == 0 ? rowBytes * rows + heap : 0;
    }
    int bits = 0;
    int axes = 0;
    std::array<long, 3> sizes{1, 1, 1};
    if (fits_get_img_param(file, 3, &bits, &axes, sizes.data(), &status) != 0) {
        return 0;
    }
    return static_cast<LONGLONG>(std::abs(bits) / 8) * sizes[0] * sizes[1] * sizes[2];
}

bool isPacked(const fs::path& path) {
    const std::string extension = toLower(path.extension().string());
    return extension == ".gz" || extension == ".z";
}

bool isCutShort(fitsfile* file, const fs::path& path) {
    int status = 0;
    LONGLONG start = 0;
    LONGLONG data = 0;
    LONGLONG end = 0;
    if (isPacked(path) || fits_get_hduaddrll(file, &start, &data, &end, &status) != 0) {
        return false;
    }
    std::error_code error;
    const auto size = fs::file_size(path, error);
    return !error && static_cast<LONGLONG>(size) < data + bytesOfUnit(file);
}

/// One image of a file.
struct FoundImage {
    int unit = 0; ///< from 1
    int width = 0;
    int height = 0;
    int planes = 1;
    int bits = 16;
    std::string name;
};

bool isCompanion(const std::string& name) {
    const std::string lower = toLower(name);
    for (const std::string_view word :
         {"var", "err", "mask", "weight", "wht", "dq", "flag", "unc"}) {
        if (lower.find(word) != std::string::npos) {
            return true;
        }
    }
    return false;
}

std::optional<FoundImage> imageOfUnit(fitsfile* file, int unit) {
    int type = 0;
    int status = 0;
    int axes = 0;
    std::array<long, 3> sizes{};
    FoundImage found;
    found.unit = unit;
    if (fits_movabs_hdu(file, unit, &type, &status) != 0 || type != IMAGE_HDU ||
        fits_get_img_param(file, 3, &found.bits, &axes, sizes.data(), &status) != 0 || axes < 2 ||
        sizes[0] <= 0 || sizes[1] <= 0 || sizes[0] >= 1'000'000 || sizes[1] >= 1'000'000) {
        return std::nullopt;
    }
    found.width = static_cast<int>(sizes[0]);
    found.height = static_cast<int>(sizes[1]);
    found.planes = axes > 2 && sizes[2] > 0 && sizes[2] < 10'000 ? static_cast<int>(sizes[2]) : 1;
    std::array<char, FLEN_VALUE> name{};
    if (fits_read_key(file, TSTRING, "EXTNAME", name.data(), nullptr, &status) == 0) {
        found.name = trim(name.data());
    }
    return found;
}

/// Every image of two axes in the file, maps of weights and errors last.
std::vector<FoundImage> findImages(fitsfile* file) {
    int status = 0;
    int units = 0;
    fits_get_num_hdus(file, &units, &status);
    std::vector<FoundImage> images;
    for (int unit = 1; unit <= units; ++unit) {
        if (const auto found = imageOfUnit(file, unit)) {
            images.push_back(*found);
        }
    }
    fits_clear_errmsg();
    std::stable_sort(images.begin(), images.end(), [](const FoundImage& a, const FoundImage& b) {
        const auto rank = [](const FoundImage& image) {
            return std::pair(!isCompanion(image.name),
                             static_cast<long long>(image.width) * image.height);
        };
        return rank(a) > rank(b);
    });
    return images;
}

std::string noteOf(const FoundImage& image, std::size_t count) {
    std::string note;
    if (count > 1) {
        note = fmt::format("image [{}], one of {}", image.unit - 1, count);
        note += image.name.empty() ? "" : fmt::format(", '{}'", image.name);
    }
    if (image.planes > 1) {
        note += note.empty() ? "" : "; ";
        note += image.planes == 3 ? "the mean of its 3 colour planes"
                                  : fmt::format("the first of its {} planes", image.planes);
    }
    return note;
}

/// The layout of an image whose pixels stand in the file as they are.
std::optional<FitsPixelLayout> plainLayout(fitsfile* file, int bits, const fs::path& path) {
    int status = 0;
    if (isPacked(path) || fits_is_compressed_image(file, &status) != 0) {
        return std::nullopt;
    }
    FitsPixelLayout layout;
    layout.bitsPerPixel = bits;
    const auto read = [&](const char* key, auto type, auto* value) {
        int missing = 0;
        return fits_read_key(file, type, key, value, nullptr, &missing) == 0;
    };
    read("BSCALE", TDOUBLE, &layout.scale);
    read("BZERO", TDOUBLE, &layout.zero);
    LONGLONG blank = 0;
    if (bits > 0 && read("BLANK", TLONGLONG, &blank)) {
        layout.blank = blank;
    }
    fits_clear_errmsg();
    return layout;
}

/// The keywords of the primary header that the extension does not have itself.
void inherit(Header& header, const Header& primary) {
    for (const Card& card : primary.cards()) {
        if (!isStructuralKeyword(card.keyword) && card.keyword != "HISTORY" &&
            card.keyword != "COMMENT" && !card.keyword.empty() &&
            header.find(card.keyword) == nullptr) {
            header.add(card);
        }
    }
}

/// A file open for reading at any place.
class OpenFile {
  public:
    explicit OpenFile(const fs::path& path)
        : path_(path), descriptor_(::open(path.c_str(), O_RDONLY | O_CLOEXEC)) {}

    OpenFile(const OpenFile&) = delete;
    OpenFile& operator=(const OpenFile&) = delete;

    ~OpenFile() {
        if (descriptor_ >= 0) {
            ::close(descriptor_);
        }
    }

    [[nodiscard]] bool isOpen() const { return descriptor_ >= 0; }

    /// Fills all of `bytes`, or says that the file ends before.
    Result<bool> read(LONGLONG offset, std::span<std::byte> bytes) const {
        std::size_t done = 0;
        while (done < bytes.size()) {
            const ssize_t got = ::pread(descriptor_,
                                        bytes.data() + done,
                                        bytes.size() - done,
                                        static_cast<off_t>(offset) + static_cast<off_t>(done));
            if (got < 0 && errno == EINTR) {
                continue;
            }
            if (got <= 0) {
                return fail(readError(END_OF_FILE, path_));
            }
            done += static_cast<std::size_t>(got);
        }
        return true;
    }

  private:
    const fs::path& path_;
    int descriptor_;
};

} // namespace

FitsReader::FitsReader() : handle_(std::make_unique<Handle>()) {}

FitsReader::FitsReader(FitsReader&&) noexcept = default;
FitsReader& FitsReader::operator=(FitsReader&&) noexcept = default;
FitsReader::~FitsReader() = default;

namespace {

/// The images that count as frames: those of the first one's size and kind of pixels.
std::vector<FoundImage> framesAmong(const std::vector<FoundImage>& images) {
    std::vector<FoundImage> frames;
    for (const FoundImage& image : images) {
        const FoundImage& first = images.front();
        if (image.width == first.width && image.height == first.height &&
            image.bits == first.bits && image.planes == first.planes && !isCompanion(image.name)) {
            frames.push_back(image);
        }
    }
    return frames;
}

std::string textOf(fitsfile* file, int unit, const char* keyword) {
    int status = 0;
    int type = 0;
    std::array<char, FLEN_VALUE> value{};
    fits_movabs_hdu(file, unit, &type, &status);
    fits_read_key(file, TSTRING, keyword, value.data(), nullptr, &status);
    fits_clear_errmsg();
    return status == 0 ? std::string(trim(value.data())) : std::string();
}

/// The name of a sensor among several; empty where the images of the file are exposures of one sensor after each other.
std::string
sensorName(fitsfile* file, const FoundImage& image, const std::vector<FoundImage>& frames) {
    for (const FoundImage& other : frames) {
        if (textOf(file, other.unit, "DATE-OBS") != textOf(file, image.unit, "DATE-OBS")) {
            return {};
        }
    }
    return image.name.empty() ? fmt::format("sensor {}", image.unit - 1) : image.name;
}

/// The image named, or the one that counts.
const FoundImage* chosenImage(const std::vector<FoundImage>& images, int unit) {
    if (unit < 0) {
        return images.empty() ? nullptr : &images.front();
    }
    const auto found = std::find_if(
        images.begin(), images.end(), [&](const FoundImage& i) { return i.unit == unit + 1; });
    return found == images.end() ? nullptr : &*found;
}

} // namespace

std::vector<fs::path> framesOfFile(const fs::path& path) {
    if (isPacked(path) || ImagePath::of(path).unit >= 0 || objectionTo(path)) {
        return {path};
    }
    fitsfile* file = nullptr;
    int status = 0;
    readyFitsLibrary();
    if (fits_open_diskfile(&file, path.c_str(), READONLY, &status) != 0) {
        fits_clear_errmsg();
        return {path};
    }
    const auto images = findImages(file);
    // What we wrote is one frame, whatever colours or maps stand beside it.
    const bool isOurs = !textOf(file, 1, kResultKeyword).empty();
    const std::vector<FoundImage> frames =
        images.empty() || isOurs ? std::vector<FoundImage>() : framesAmong(images);
    fits_close_file(file, &status);
    if (frames.size() < 2) {
        return {path};
    }
    std::vector<fs::path> paths;
    paths.reserve(frames.size());
    for (const FoundImage& image : frames) {
        paths.push_back(ImagePath{path, image.unit - 1}.path());
    }
    return paths;
}

Result<FitsReader> FitsReader::open(const fs::path& wanted) {
    const auto [path, unit] = ImagePath::of(wanted);
    FitsReader reader;
    reader.path_ = path;
    if (auto objection = objectionTo(path)) {
        return fail(std::move(*objection));
    }
    int status = 0;
    readyFitsLibrary();
    if (fits_open_diskfile(&reader.handle_->file, path.c_str(), READONLY, &status) != 0) {
        fits_clear_errmsg();
        return fail(readError(status, path));
    }
    fitsfile* file = reader.handle_->file;
    const auto images = findImages(file);
    const FoundImage* const found = chosenImage(images, unit);
    if (found == nullptr) {
        return fail(ErrorId::FrameNotAnImage,
                    "There is no image with pixels in this file.",
                    wanted.string());
    }
    const FoundImage& chosen = *found;
    reader.width_ = chosen.width;
    reader.height_ = chosen.height;
    reader.planes_ = chosen.planes == 3 ? 3 : 1;
    reader.note_ = noteOf(chosen, images.size());
    if (const auto frames = framesAmong(images); unit >= 0 && frames.size() > 1) {
        reader.sensor_ = sensorName(file, chosen, frames);
    }
    int type = 0;
    if (chosen.unit != 1) {
        fits_movabs_hdu(file, 1, &type, &status);
        const Header primary = readCards(file);
        fits_movabs_hdu(file, chosen.unit, &type, &status);
        reader.header_ = readCards(file);
        inherit(reader.header_, primary);
    } else {
        fits_movabs_hdu(file, 1, &type, &status);
        reader.header_ = readCards(file);
    }
    if (isCutShort(file, path)) {
        return fail(readError(END_OF_FILE, path));
    }
    reader.streams_ = !isPacked(path);
    LONGLONG start = 0;
    LONGLONG end = 0;
    if (auto layout = plainLayout(file, chosen.bits, path);
        layout &&
        fits_get_hduaddrll(file, &start, &reader.handle_->dataStart, &end, &status) == 0) {
        // Read directly from here on: no open file is kept, so a series may be of any length.
        reader.handle_->plain = layout;
        fits_close_file(file, &status);
        reader.handle_->file = nullptr;
    }
    fits_clear_errmsg();
    return reader;
}

namespace {

/// A piece at a time stays in the cache between reading and converting.
constexpr std::size_t kPiece = 1U << 16U;

Result<bool> readPieces(const OpenFile& file,
                        const FitsPixelLayout& layout,
                        LONGLONG start,
                        std::span<float> out) {
    const std::size_t bytesPerPixel = layout.bytesPerPixel();
    std::vector<std::byte> bytes(std::min(kPiece, out.size()) * bytesPerPixel);
    for (std::size_t done = 0; done < out.size(); done += kPiece) {
        const std::size_t count = std::min(kPiece, out.size() - done);
        const auto part = std::span(bytes).first(count * bytesPerPixel);
        if (auto read = file.read(start + static_cast<LONGLONG>(done * bytesPerPixel), part);
            !read) {
            return read;
        }
        convertFitsPixels(part, layout, out.subspan(done, count));
    }
    return true;
}

/// The pixels that begin at a byte of a plain file; those of a whole large frame by all processors.
Result<bool> readPixels(const OpenFile& file,
                        const FitsPixelLayout& layout,
                        LONGLONG start,
                        std::span<float> out) {
    constexpr std::size_t share = 16 * kPiece;
    if (out.size() <= 4 * share) {
        return readPieces(file, layout, start, out);
    }
    std::vector<Result<bool>> done((out.size() + share - 1) / share, Result<bool>(true));
    parallelFor(done.size(), [&](std::size_t i) {
        const auto first = static_cast<LONGLONG>(i * share * layout.bytesPerPixel());
        done[i] = readPieces(file,
                             layout,
                             start + first,
                             out.subspan(i * share, std::min(share, out.size() - i * share)));
    });
    for (auto& read : done) {
        if (!read) {
            return read;
        }
    }
    return true;
}

} // namespace

Result<bool> FitsReader::rows(int firstRow, std::span<float> out) {
    PATHMARK_EXPECTS(out.size() % static_cast<std::size_t>(width_) == 0);
    if (auto read = planeRows(0, firstRow, out); !read || planes_ == 1) {
        return read;
    }
    std::vector<float> more(out.size());
    for (long plane = 1; plane < planes_; ++plane) {
        if (auto read = planeRows(plane, firstRow, more); !read) {
            return read;
        }
        std::transform(out.begin(), out.end(), more.begin(), out.begin(), std::plus<>());
    }
    const float share = 1.0F / static_cast<float>(planes_);
    std::transform(out.begin(), out.end(), out.begin(), [&](float v) { return v * share; });
    return true;
}

Result<bool> FitsReader::planeRows(long plane, int firstRow, std::span<float> out) {
    if (handle_->plain) {
        const OpenFile file(path_);
        if (!file.isOpen()) {
            return fail(
                ErrorId::FrameNotReadable,
                fmt::format("Cannot be opened ({}).", std::generic_category().message(errno)),
                path_.string());
        }
        const FitsPixelLayout& layout = *handle_->plain;
        const LONGLONG row = static_cast<LONGLONG>(plane) * height_ + firstRow;
        const auto start =
            handle_->dataStart + row * width_ * static_cast<LONGLONG>(layout.bytesPerPixel());
        return readPixels(file, layout, start, out);
    }
    int status = 0;
    const int rows = static_cast<int>(out.size() / static_cast<std::size_t>(width_));
    if (fits_is_compressed_image(handle_->file, &status) != 0 && planes_ == 1 &&
        !compressedRowsAreWhole(handle_->file, width_, height_, firstRow, rows)) {
        return fail(readError(DATA_DECOMPRESSION_ERR, path_));
    }
    std::array<long, 3> first{1, firstRow + 1L, plane + 1};
    float blank = std::numeric_limits<float>::quiet_NaN();
    int anyBlank = 0;
    fits_read_pix(handle_->file,
                  TFLOAT,
                  first.data(),
                  static_cast<LONGLONG>(out.size()),
                  &blank,
                  out.data(),
                  &anyBlank,
                  &status);
    if (status != 0) {
        fits_clear_errmsg();
        return fail(readError(status, path_));
    }
    return true;
}

Result<Image> FitsReader::extension(const std::string& name, ExtensionSize size) {
    fitsfile* file = nullptr;
    int status = 0;
    readyFitsLibrary();
    fits_open_diskfile(&file, path_.c_str(), READONLY, &status);
    fits_movnam_hdu(file, IMAGE_HDU, const_cast<char*>(name.c_str()), 0, &status);
    int bits = 0;
    int axes = 0;
    std::array<long, 2> sizes{};
    fits_get_img_param(file, 2, &bits, &axes, sizes.data(), &status);
    Image result;
    const bool isSame = sizes[0] == width_ && sizes[1] == height_;
    // Of its own size it is no larger than the image: a header may claim anything.
    const bool isSmall = sizes[0] > 0 && sizes[1] > 0 &&
                         static_cast<double>(sizes[0]) * static_cast<double>(sizes[1]) <=
                             static_cast<double>(width_) * height_;
    if (status == 0 && axes == 2 && (isSame || (size == ExtensionSize::Own && isSmall))) {
        result = Image(static_cast<int>(sizes[0]), static_cast<int>(sizes[1]));
        float blank = std::numeric_limits<float>::quiet_NaN();
        int anyBlank = 0;
        fits_read_img(file,
                      TFLOAT,
                      1,
                      static_cast<LONGLONG>(result.pixels().size()),
                      &blank,
                      result.pixels().data(),
                      &anyBlank,
                      &status);
    }
    int closing = 0;
    if (file != nullptr) {
        fits_close_file(file, &closing);
    }
    fits_clear_errmsg();
    if (status != 0 || result.empty()) {
        return fail(ErrorId::FrameNotAnImage,
                    fmt::format("There is no image '{}' of the frame's size in this file.", name),
                    path_.string());
    }
    return result;
}

Result<LoadedFrame> readFits(const fs::path& path) {
    auto reader = FitsReader::open(path);
    if (!reader) {
        return fail(reader.error());
    }
    auto image = reader->image();
    if (!image) {
        return fail(image.error());
    }
    return LoadedFrame{std::move(*image), reader->header()};
}

Result<Header> readFitsHeader(const fs::path& wanted) {
    const fs::path path = ImagePath::of(wanted).file;
    if (auto objection = objectionTo(path)) {
        return fail(std::move(*objection));
    }
    fitsfile* file = nullptr;
    int status = 0;
    readyFitsLibrary();
    if (fits_open_diskfile(&file, path.c_str(), READONLY, &status) != 0) {
        fits_clear_errmsg();
        return fail(readError(status, path));
    }
    Header header = readCards(file);
    fits_close_file(file, &status);
    return header;
}

} // namespace pathmark::frame
