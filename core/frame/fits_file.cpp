#include "core/frame/fits_file.h"

#include "core/base/atomic_file.h"
#include "core/base/text.h"

#include <fitsio.h>
#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <limits>
#include <set>

namespace pathmark::frame {
namespace fs = std::filesystem;

struct FitsReader::Handle {
    fitsfile* file = nullptr;

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

/// Keywords that describe the array itself and are written by the library.
bool isStructural(const std::string& keyword) {
    static const std::set<std::string> names{"SIMPLE",
                                             "BITPIX",
                                             "NAXIS",
                                             "NAXIS1",
                                             "NAXIS2",
                                             "NAXIS3",
                                             "EXTEND",
                                             "BSCALE",
                                             "BZERO",
                                             "BLANK",
                                             "PCOUNT",
                                             "GCOUNT",
                                             "XTENSION",
                                             "CHECKSUM",
                                             "DATASUM",
                                             "END",
                                             "ZIMAGE",
                                             "ZCMPTYPE",
                                             "ZBITPIX"};
    return names.contains(keyword);
}

Card parseCard(const std::array<char, FLEN_CARD>& record, const std::string& keyword) {
    std::array<char, FLEN_VALUE> value{};
    std::array<char, FLEN_COMMENT> comment{};
    int status = 0;
    fits_parse_value(const_cast<char*>(record.data()), value.data(), comment.data(), &status);
    Card card{keyword, std::string(), comment.data()};
    const std::string_view raw = trim(value.data());
    if (keyword == "HISTORY" || keyword == "COMMENT") {
        card.value = std::string(trim(std::string_view(record.data()).substr(8)));
        card.comment.clear();
    } else if (!raw.empty() && raw.front() == '\'') {
        // Quotes are doubled inside; the closing one may be missing in a damaged card.
        std::string text;
        for (std::size_t i = 1; i < raw.size(); ++i) {
            if (raw[i] == '\'') {
                if (i + 1 < raw.size() && raw[i + 1] == '\'') {
                    ++i;
                } else {
                    break;
                }
            }
            text += raw[i];
        }
        card.value = std::string(trim(text));
    } else if (raw == "T" || raw == "F") {
        card.value = raw == "T";
    } else if (const auto whole = parseInteger(raw)) {
        card.value = *whole;
    } else if (const auto number = parseNumber(raw)) {
        card.value = *number;
    } else {
        card.value = std::string(raw);
    }
    return card;
}

Header readCards(fitsfile* file) {
    Header header;
    int status = 0;
    int count = 0;
    fits_get_hdrspace(file, &count, nullptr, &status);
    for (int i = 1; i <= count; ++i) {
        std::array<char, FLEN_CARD> record{};
        std::array<char, FLEN_KEYWORD> keyword{};
        int length = 0;
        status = 0;
        if (fits_read_record(file, i, record.data(), &status) != 0 ||
            fits_get_keyname(record.data(), keyword.data(), &length, &status) != 0) {
            continue;
        }
        header.add(parseCard(record, keyword.data()));
    }
    return header;
}

/// A plain file must be as long as its header promises; the library itself only notices on reading.
bool isCutShort(fitsfile* file, const fs::path& path) {
    int status = 0;
    LONGLONG start = 0;
    LONGLONG data = 0;
    LONGLONG end = 0;
    int compressed = fits_is_compressed_image(file, &status);
    const std::string extension = path.extension().string();
    if (compressed != 0 || extension == ".gz" || extension == ".Z" ||
        fits_get_hduaddrll(file, &start, &data, &end, &status) != 0) {
        return false;
    }
    int bits = 0;
    int axes = 0;
    std::array<long, 3> sizes{1, 1, 1};
    if (fits_get_img_param(file, 3, &bits, &axes, sizes.data(), &status) != 0) {
        return false;
    }
    const LONGLONG bytes =
        static_cast<LONGLONG>(std::abs(bits) / 8) * sizes[0] * sizes[1] * sizes[2];
    std::error_code error;
    const auto size = fs::file_size(path, error);
    return !error && static_cast<LONGLONG>(size) < data + bytes;
}

/// Moves to the first image of two axes (or a cube's first plane).
bool findImage(fitsfile* file, int& width, int& height) {
    int status = 0;
    int units = 0;
    fits_get_num_hdus(file, &units, &status);
    for (int unit = 1; unit <= units; ++unit) {
        int type = 0;
        status = 0;
        if (fits_movabs_hdu(file, unit, &type, &status) != 0) {
            return false;
        }
        int bits = 0;
        int axes = 0;
        std::array<long, 3> sizes{};
        if (type == IMAGE_HDU &&
            fits_get_img_param(file, 3, &bits, &axes, sizes.data(), &status) == 0 && axes >= 2 &&
            sizes[0] > 0 && sizes[1] > 0 && sizes[0] < 1'000'000 && sizes[1] < 1'000'000) {
            width = static_cast<int>(sizes[0]);
            height = static_cast<int>(sizes[1]);
            return true;
        }
    }
    return false;
}

void writeCards(fitsfile* file, const Header& header, int* status) {
    for (const Card& card : header.cards()) {
        if (isStructural(card.keyword)) {
            continue;
        }
        const char* key = card.keyword.c_str();
        const char* comment = card.comment.empty() ? nullptr : card.comment.c_str();
        if (card.keyword == "HISTORY") {
            fits_write_history(file, std::get<std::string>(card.value).c_str(), status);
        } else if (card.keyword == "COMMENT") {
            fits_write_comment(file, std::get<std::string>(card.value).c_str(), status);
        } else if (card.keyword.empty()) {
            continue;
        } else if (const auto* words = std::get_if<std::string>(&card.value)) {
            fits_update_key_longstr(file, key, words->c_str(), comment, status);
        } else if (const auto* real = std::get_if<double>(&card.value)) {
            fits_update_key(file, TDOUBLE, key, const_cast<double*>(real), comment, status);
        } else if (const auto* whole = std::get_if<long long>(&card.value)) {
            fits_update_key(file, TLONGLONG, key, const_cast<long long*>(whole), comment, status);
        } else {
            int flag = std::get<bool>(card.value) ? 1 : 0;
            fits_update_key(file, TLOGICAL, key, &flag, comment, status);
        }
    }
}

/// Runs `fill` on a new file that becomes visible only when whole.
Result<bool> writeNew(const fs::path& path, const std::function<void(fitsfile*, int*)>& fill) {
    return writeWhole(path, [&](const fs::path& temporary) -> Result<bool> {
        fitsfile* file = nullptr;
        int status = 0;
        errno = 0;
        // diskfile: brackets in a name are part of it, not a filter expression.
        fits_create_diskfile(&file, temporary.c_str(), &status);
        if (status == 0) {
            fill(file, &status);
        }
        const int reason = errno;
        int closing = status;
        if (file != nullptr) {
            fits_close_file(file, &closing);
        }
        fits_clear_errmsg();
        if (closing != 0) {
            return fail(writeError(reason != 0 ? reason : errno != 0 ? errno : EIO, temporary));
        }
        return true;
    });
}

} // namespace

FitsReader::FitsReader() : handle_(std::make_unique<Handle>()) {}

FitsReader::FitsReader(FitsReader&&) noexcept = default;
FitsReader& FitsReader::operator=(FitsReader&&) noexcept = default;
FitsReader::~FitsReader() = default;

Result<FitsReader> FitsReader::open(const fs::path& path) {
    FitsReader reader;
    reader.path_ = path;
    int status = 0;
    if (fits_open_diskfile(&reader.handle_->file, path.c_str(), READONLY, &status) != 0) {
        fits_clear_errmsg();
        return fail(ErrorId::FrameNotReadable,
                    fmt::format("Cannot be opened as FITS ({}).", statusText(status)),
                    path.string());
    }
    fitsfile* file = reader.handle_->file;
    if (!findImage(file, reader.width_, reader.height_)) {
        fits_clear_errmsg();
        return fail(ErrorId::FrameNotAnImage, "There is no image in this file.", path.string());
    }
    if (isCutShort(file, path)) {
        return fail(readError(END_OF_FILE, path));
    }
    reader.header_ = readCards(file);
    return reader;
}

Result<bool> FitsReader::rows(int firstRow, std::span<float> out) {
    PATHMARK_EXPECTS(out.size() % static_cast<std::size_t>(width_) == 0);
    int status = 0;
    std::array<long, 3> first{1, firstRow + 1L, 1};
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

Result<Image> FitsReader::image() {
    Image result(width_, height_);
    if (auto read = rows(0, result.pixels()); !read) {
        return fail(read.error());
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

Result<Header> readFitsHeader(const fs::path& path) {
    fitsfile* file = nullptr;
    int status = 0;
    if (fits_open_diskfile(&file, path.c_str(), READONLY, &status) != 0) {
        fits_clear_errmsg();
        return fail(readError(status, path));
    }
    Header header = readCards(file);
    fits_close_file(file, &status);
    return header;
}

Result<bool>
writeFits(const fs::path& path, const Image& image, const Header& header, PixelType type) {
    return writeNew(path, [&](fitsfile* file, int* status) {
        std::array<long, 2> sizes{image.width(), image.height()};
        fits_create_img(
            file, type == PixelType::Float32 ? FLOAT_IMG : USHORT_IMG, 2, sizes.data(), status);
        writeCards(file, header, status);
        fits_write_img(file,
                       TFLOAT,
                       1,
                       static_cast<LONGLONG>(image.pixels().size()),
                       const_cast<float*>(image.pixels().data()),
                       status);
    });
}

Result<bool> writeFitsHeader(const fs::path& path, const Header& header) {
    return writeNew(path, [&](fitsfile* file, int* status) {
        fits_create_img(file, BYTE_IMG, 0, nullptr, status);
        writeCards(file, header, status);
    });
}

} // namespace pathmark::frame
