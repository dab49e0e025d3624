#include "core/frame/tile_check.h"

#include <zlib.h>

#include <algorithm>
#include <array>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::frame {
namespace {

/// Bits of a tile, the most significant first; asking for more than there are leaves `overrun` set.
class Bits {
  public:
    explicit Bits(std::span<const unsigned char> bytes) : bytes_(bytes) {}

    unsigned read(unsigned count) {
        unsigned value = 0;
        for (unsigned i = 0; i < count && !overrun_; ++i) {
            value = (value << 1U) | (next() ? 1U : 0U);
        }
        return value;
    }

    void skip(std::size_t count) {
        at_ += count;
        overrun_ = overrun_ || at_ > 8 * bytes_.size();
    }

    void skipZeros() {
        while (!overrun_ && !next()) {
        }
    }

    [[nodiscard]] bool overrun() const { return overrun_; }

  private:
    bool next() {
        if (at_ >= 8 * bytes_.size()) {
            overrun_ = true;
            return false;
        }
        const bool bit = (bytes_[at_ / 8] >> (7U - at_ % 8)) & 1U;
        ++at_;
        return bit;
    }

    std::span<const unsigned char> bytes_;
    std::size_t at_ = 0;
    bool overrun_ = false;
};

long keyOr(fitsfile* file, const std::string& key, long otherwise) {
    long value = otherwise;
    int status = 0;
    return fits_read_key(file, TLONG, key.c_str(), &value, nullptr, &status) == 0 ? value
                                                                                  : otherwise;
}

std::string wordOf(fitsfile* file, const std::string& key) {
    std::array<char, FLEN_VALUE> value{};
    int status = 0;
    fits_read_key(file, TSTRING, key.c_str(), value.data(), nullptr, &status);
    return value.data();
}

} // namespace

bool riceTileIsWhole(std::span<const unsigned char> bytes,
                     std::size_t pixels,
                     std::size_t block,
                     int bytesPerPixel) {
    const unsigned idBits = bytesPerPixel == 1 ? 3 : bytesPerPixel == 2 ? 4 : 5;
    const unsigned highest = bytesPerPixel == 1 ? 6 : bytesPerPixel == 2 ? 14 : 25;
    const std::size_t rawBits = std::size_t{1} << idBits;
    Bits bits(bytes);
    bits.skip(8U * static_cast<std::size_t>(bytesPerPixel)); // the first pixel stands as it is
    for (std::size_t done = 0; done < pixels && !bits.overrun(); done += block) {
        const std::size_t count = std::min(block, pixels - done);
        const unsigned id = bits.read(idBits);
        if (id == 0) {
            continue; // no differences in this block
        }
        if (id - 1 == highest) {
            bits.skip(rawBits * count);
            continue;
        }
        for (std::size_t i = 0; i < count && !bits.overrun(); ++i) {
            bits.skipZeros();
            bits.skip(id - 1);
        }
    }
    return !bits.overrun();
}

bool gzipTileIsWhole(std::span<const unsigned char> bytes) {
    z_stream stream{};
    constexpr int gzipOrZlib = 15 + 32;
    if (inflateInit2(&stream, gzipOrZlib) != Z_OK) {
        return false;
    }
    // The library's interface knows no const; it does not write to its input.
    stream.next_in = const_cast<unsigned char*>(bytes.data());
    stream.avail_in = static_cast<uInt>(bytes.size());
    std::array<unsigned char, 1U << 14U> out{};
    int status = Z_OK;
    while (status == Z_OK) {
        stream.next_out = out.data();
        stream.avail_out = static_cast<uInt>(out.size());
        status = inflate(&stream, Z_NO_FLUSH);
    }
    inflateEnd(&stream);
    return status == Z_STREAM_END;
}

bool compressedRowsAreWhole(fitsfile* file, int width, int height, int firstRow, int rows) {
    const std::string kind = wordOf(file, "ZCMPTYPE");
    const bool isRice = kind.starts_with("RICE");
    if (!isRice && !kind.starts_with("GZIP")) {
        return true;
    }
    long block = 32;
    long bytesPerPixel = 4;
    for (int i = 1; i <= 9; ++i) {
        const std::string name = wordOf(file, "ZNAME" + std::to_string(i));
        const long value = keyOr(file, "ZVAL" + std::to_string(i), 0);
        block = name == "BLOCKSIZE" ? value : block;
        bytesPerPixel = name == "BYTEPIX" ? value : bytesPerPixel;
    }
    const long tileWidth = keyOr(file, "ZTILE1", width);
    const long tileHeight = keyOr(file, "ZTILE2", 1);
    int column = 0;
    int status = 0;
    std::string columnName = "COMPRESSED_DATA";
    fits_get_colnum(file, CASEINSEN, columnName.data(), &column, &status);
    const bool sane = block > 0 && block <= 4096 && tileWidth > 0 && tileWidth <= width &&
                      tileHeight > 0 && tileHeight <= height &&
                      (bytesPerPixel == 1 || bytesPerPixel == 2 || bytesPerPixel == 4);
    if (status != 0 || !sane) {
        fits_clear_errmsg();
        return false;
    }
    const long across = (width + tileWidth - 1) / tileWidth;
    std::vector<unsigned char> bytes;
    for (long down = firstRow / tileHeight; down <= (firstRow + rows - 1) / tileHeight; ++down) {
        for (long x = 0; x < across; ++x) {
            LONGLONG length = 0;
            LONGLONG offset = 0;
            fits_read_descriptll(file, column, down * across + x + 1, &length, &offset, &status);
            if (status != 0 || length < 0 || length > (LONGLONG{1} << 31)) {
                fits_clear_errmsg();
                return false;
            }
            if (length == 0) {
                continue; // stored in another column
            }
            bytes.resize(static_cast<std::size_t>(length));
            int any = 0;
            fits_read_col(file,
                          TBYTE,
                          column,
                          down * across + x + 1,
                          1,
                          length,
                          nullptr,
                          bytes.data(),
                          &any,
                          &status);
            const long w = std::min(tileWidth, width - x * tileWidth);
            const long h = std::min(tileHeight, height - down * tileHeight);
            const bool isWhole =
                status == 0 &&
                (isRice ? riceTileIsWhole(bytes,
                                          static_cast<std::size_t>(w) * static_cast<std::size_t>(h),
                                          static_cast<std::size_t>(block),
                                          static_cast<int>(bytesPerPixel))
                        : gzipTileIsWhole(bytes));
            if (!isWhole) {
                fits_clear_errmsg();
                return false;
            }
        }
    }
    return true;
}

} // namespace pathmark::frame
