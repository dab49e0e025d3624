#include "core/frame/fits_pixels.h"

#include "core/base/clones.h"
#include "core/base/expects.h"
#include "core/frame/image.h"

#include <bit>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <limits>

namespace pathmark::frame {
namespace {

/// The commonest case by far: 16 bits with a whole BZERO; every value is exact in a float.
PATHMARK_CLONES
void convertShorts(const std::byte* bytes, std::size_t count, int zero, float* out) {
    for (std::size_t i = 0; i < count; ++i) {
        std::uint16_t raw = 0;
        std::memcpy(&raw, bytes + 2 * i, 2);
        raw = static_cast<std::uint16_t>((raw << 8) | (raw >> 8));
        out[i] = static_cast<float>(static_cast<std::int16_t>(raw) + zero);
    }
}

PATHMARK_CLONES
void convertFloats(const std::byte* bytes, std::size_t count, float* out) {
    for (std::size_t i = 0; i < count; ++i) {
        std::uint32_t raw = 0;
        std::memcpy(&raw, bytes + 4 * i, 4);
        out[i] = std::bit_cast<float>(__builtin_bswap32(raw));
    }
}

template <typename Raw, typename Value, typename Swap>
void convertAny(std::span<const std::byte> bytes,
                const FitsPixelLayout& layout,
                std::span<float> out,
                Swap swap) {
    for (std::size_t i = 0; i < out.size(); ++i) {
        Raw raw{};
        std::memcpy(&raw, bytes.data() + sizeof(Raw) * i, sizeof(Raw));
        const auto value = std::bit_cast<Value>(swap(raw));
        if constexpr (std::is_integral_v<Value>) {
            if (layout.blank && static_cast<long long>(value) == *layout.blank) {
                out[i] = kNoValue;
                continue;
            }
        }
        out[i] = static_cast<float>(static_cast<double>(value) * layout.scale + layout.zero);
    }
}

/// BZERO that makes 64-bit integers unsigned: 2^63.
///
/// Source   FITS Standard 4.0, table 11.
constexpr double kUnsignedZero = 9223372036854775808.0;

/// In double the small numbers that pixels are would drown in 2^63; turning the sign bit over is the same sum, exact.
void convertUnsigned64(std::span<const std::byte> bytes,
                       const FitsPixelLayout& layout,
                       std::span<float> out) {
    for (std::size_t i = 0; i < out.size(); ++i) {
        std::uint64_t raw = 0;
        std::memcpy(&raw, bytes.data() + 8 * i, 8);
        raw = __builtin_bswap64(raw);
        const bool blank = layout.blank && std::bit_cast<std::int64_t>(raw) == *layout.blank;
        out[i] = blank ? kNoValue : static_cast<float>(raw ^ (std::uint64_t{1} << 63U));
    }
}

} // namespace

std::size_t FitsPixelLayout::bytesPerPixel() const {
    return static_cast<std::size_t>(std::abs(bitsPerPixel) / 8);
}

void convertFitsPixels(std::span<const std::byte> bytes,
                       const FitsPixelLayout& layout,
                       std::span<float> out) {
    PATHMARK_EXPECTS(bytes.size() == out.size() * layout.bytesPerPixel());
    const bool wholeZero =
        layout.scale == 1.0 && !layout.blank && (layout.zero == 0.0 || layout.zero == 32768.0);
    const bool plain = layout.scale == 1.0 && layout.zero == 0.0;
    switch (layout.bitsPerPixel) {
    case 16:
        if (wholeZero) {
            convertShorts(bytes.data(), out.size(), static_cast<int>(layout.zero), out.data());
        } else {
            convertAny<std::uint16_t, std::int16_t>(
                bytes, layout, out, [](std::uint16_t v) { return __builtin_bswap16(v); });
        }
        break;
    case 8:
        convertAny<std::uint8_t, std::uint8_t>(
            bytes, layout, out, [](std::uint8_t v) { return v; });
        break;
    case 32:
        convertAny<std::uint32_t, std::int32_t>(
            bytes, layout, out, [](std::uint32_t v) { return __builtin_bswap32(v); });
        break;
    case 64:
        if (layout.scale == 1.0 && layout.zero == kUnsignedZero) {
            convertUnsigned64(bytes, layout, out);
            break;
        }
        convertAny<std::uint64_t, std::int64_t>(
            bytes, layout, out, [](std::uint64_t v) { return __builtin_bswap64(v); });
        break;
    case -32:
        if (plain) {
            convertFloats(bytes.data(), out.size(), out.data());
        } else {
            convertAny<std::uint32_t, float>(
                bytes, layout, out, [](std::uint32_t v) { return __builtin_bswap32(v); });
        }
        break;
    case -64:
        convertAny<std::uint64_t, double>(
            bytes, layout, out, [](std::uint64_t v) { return __builtin_bswap64(v); });
        break;
    default: {
        const bool bitpixOfTheStandard = false;
        PATHMARK_EXPECTS(bitpixOfTheStandard);
    }
    }
}

namespace {

PATHMARK_CLONES
void swapFloats(const float* values, std::size_t count, std::byte* bytes) {
    for (std::size_t i = 0; i < count; ++i) {
        const std::uint32_t raw = __builtin_bswap32(std::bit_cast<std::uint32_t>(values[i]));
        std::memcpy(bytes + 4 * i, &raw, 4);
    }
}

} // namespace

void toFitsFloats(std::span<const float> values, std::span<std::byte> bytes) {
    PATHMARK_EXPECTS(bytes.size() == 4 * values.size());
    swapFloats(values.data(), values.size(), bytes.data());
}

} // namespace pathmark::frame
