#pragma once

#include "core/catalog/star_table.h"

#include <string>
#include <string_view>
#include <vector>

namespace pathmark::catalog {

/// A column of a VOTable.
struct VotableField {
    std::string name;
    std::string type;      ///< boolean, short, int, long, float, double, char, ...
    std::string arraySize; ///< empty: one value; "8": so many; "*": as many as it says
};

/// Bytes from base64; white space is passed over, anything else ends the decoding in `false`.
bool decodeBase64(std::string_view text, std::vector<unsigned char>& bytes);

/// Rows of a BINARY or BINARY2 stream (BINARY2: with a bit for each field that has no value).
///
/// Errors   nullopt: a field type that is not known, or a stream that ends inside a row
/// Source   VOTable 1.4, sec. 5.3 and 5.4.
class BinaryRows {
  public:
    BinaryRows(std::span<const unsigned char> bytes,
               const std::vector<VotableField>& fields,
               const ColumnPlaces& places,
               bool hasNullBits);

    /// False at the end and where the stream is damaged.
    bool next(RawRow& row);

    [[nodiscard]] bool damaged() const { return damaged_; }

  private:
    [[nodiscard]] bool has(std::size_t bytes) const { return bytes_.size() - at_ >= bytes; }

    double readNumber(char kind);
    std::int64_t readInteger(int size);

    std::span<const unsigned char> bytes_;
    std::size_t at_ = 0;
    bool hasNullBits_;
    bool damaged_ = false;
    std::vector<char> kinds_;          ///< of each field
    std::vector<std::int64_t> counts_; ///< values in each; -1: as the stream says
    std::vector<int> meaning_;         ///< the StarColumn of each; -1: none
};

} // namespace pathmark::catalog
