#include "core/catalog/votable_stream.h"

#include <array>
#include <bit>
#include <cctype>
#include <charconv>
#include <cmath>
#include <limits>

namespace pathmark::catalog {
namespace {

// One letter for each type: bytes follow from it.
char kindOf(const std::string& type) {
    static constexpr std::array<std::pair<const char*, char>, 11> kinds{{{"boolean", 'B'},
                                                                         {"unsignedByte", 'b'},
                                                                         {"char", 'b'},
                                                                         {"unicodeChar", 'h'},
                                                                         {"short", 'h'},
                                                                         {"int", 'i'},
                                                                         {"long", 'l'},
                                                                         {"float", 'f'},
                                                                         {"double", 'd'},
                                                                         {"floatComplex", 'd'},
                                                                         {"doubleComplex", 'c'}}};
    for (const auto& [word, kind] : kinds) {
        if (type == word) {
            return kind;
        }
    }
    return '?';
}

std::size_t sizeOf(char kind) {
    switch (kind) {
    case 'h': return 2;
    case 'i':
    case 'f': return 4;
    case 'l':
    case 'd': return 8;
    case 'c': return 16;
    default: return 1;
    }
}

std::int64_t countOf(const std::string& arraySize) {
    if (arraySize.empty()) {
        return 1;
    }
    if (arraySize.find('*') != std::string::npos) {
        return -1;
    }
    std::int64_t product = 1;
    const char* at = arraySize.data();
    const char* end = at + arraySize.size();
    while (at < end) {
        std::int64_t one = 0;
        const auto [next, problem] = std::from_chars(at, end, one);
        if (problem != std::errc() || one < 0 || one > 1'000'000) {
            return 0;
        }
        product *= one;
        at = next < end ? next + 1 : end;
    }
    return product;
}

int base64Value(unsigned char c) {
    if (c >= 'A' && c <= 'Z') {
        return c - 'A';
    }
    if (c >= 'a' && c <= 'z') {
        return c - 'a' + 26;
    }
    if (c >= '0' && c <= '9') {
        return c - '0' + 52;
    }
    return c == '+' ? 62 : (c == '/' ? 63 : -1);
}

} // namespace

bool decodeBase64(std::string_view text, std::vector<unsigned char>& bytes) {
    unsigned collected = 0;
    int bits = 0;
    for (const char c : text) {
        if (std::isspace(static_cast<unsigned char>(c)) != 0) {
            continue;
        }
        if (c == '=') {
            break;
        }
        const int value = base64Value(static_cast<unsigned char>(c));
        if (value < 0) {
            return false;
        }
        collected = (collected << 6U) | static_cast<unsigned>(value);
        bits += 6;
        if (bits >= 8) {
            bits -= 8;
            bytes.push_back(static_cast<unsigned char>(collected >> static_cast<unsigned>(bits)));
            collected &= (1U << static_cast<unsigned>(bits)) - 1U;
        }
    }
    return true;
}

BinaryRows::BinaryRows(std::span<const unsigned char> bytes,
                       const std::vector<VotableField>& fields,
                       const ColumnPlaces& places,
                       bool hasNullBits)
    : bytes_(bytes), hasNullBits_(hasNullBits), meaning_(fields.size(), -1) {
    for (const VotableField& field : fields) {
        kinds_.push_back(kindOf(field.type));
        counts_.push_back(countOf(field.arraySize));
        damaged_ = damaged_ || kinds_.back() == '?';
    }
    for (std::size_t c = 0; c < kStarColumns; ++c) {
        if (const int place = places.of(static_cast<StarColumn>(c)); place >= 0) {
            meaning_[static_cast<std::size_t>(place)] = static_cast<int>(c);
        }
    }
}

std::int64_t BinaryRows::readInteger(int size) {
    std::uint64_t value = 0;
    for (int i = 0; i < size; ++i) {
        value = value << 8U | bytes_[at_++];
    }
    // Two's complement of the width at hand.
    const auto unused = static_cast<unsigned>(64 - 8 * size);
    return static_cast<std::int64_t>(value << unused) >> unused;
}

double BinaryRows::readNumber(char kind) {
    switch (kind) {
    case 'f':
        return static_cast<double>(
            std::bit_cast<float>(static_cast<std::uint32_t>(readInteger(4))));
    case 'd': return std::bit_cast<double>(readInteger(8));
    case 'h': return static_cast<double>(readInteger(2));
    case 'i': return static_cast<double>(readInteger(4));
    case 'l': return static_cast<double>(readInteger(8));
    default: at_ += sizeOf(kind); return std::numeric_limits<double>::quiet_NaN();
    }
}

bool BinaryRows::next(RawRow& row) {
    if (damaged_ || at_ >= bytes_.size()) {
        return false;
    }
    row.value.fill(std::numeric_limits<double>::quiet_NaN());
    row.sourceId = 0;
    const std::size_t nullBytes = hasNullBits_ ? (kinds_.size() + 7) / 8 : 0;
    const std::size_t nulls = at_;
    damaged_ = !has(nullBytes);
    at_ += damaged_ ? 0 : nullBytes;
    for (std::size_t f = 0; f < kinds_.size() && !damaged_; ++f) {
        std::int64_t count = counts_[f];
        if (count < 0) {
            damaged_ = !has(4);
            count = damaged_ ? 0 : readInteger(4);
        }
        const std::size_t size = sizeOf(kinds_[f]);
        if (damaged_ || count < 0 ||
            static_cast<std::uint64_t>(count) > (bytes_.size() - at_) / size) {
            damaged_ = true;
            break;
        }
        const bool isNull = hasNullBits_ && (bytes_[nulls + f / 8] & (0x80U >> (f % 8))) != 0;
        if (count != 1 || meaning_[f] < 0 || isNull) {
            at_ += static_cast<std::size_t>(count) * size;
        } else if (meaning_[f] == static_cast<int>(StarColumn::SourceId) && kinds_[f] == 'l') {
            row.sourceId = readInteger(8);
        } else {
            row.value[static_cast<std::size_t>(meaning_[f])] = readNumber(kinds_[f]);
        }
    }
    return !damaged_;
}

} // namespace pathmark::catalog
