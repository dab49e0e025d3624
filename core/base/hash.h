#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <memory>
#include <string>
#include <string_view>

namespace pathmark {

/// Gathers values into one 128-bit digest, the key of a derived product.
///
/// Source   XXH3, 128 bits (not cryptographic: it tells things apart, it does not guard them).
class Digest {
  public:
    Digest();
    ~Digest();
    Digest(const Digest&) = delete;
    Digest& operator=(const Digest&) = delete;

    /// Adds a text with its length, so that "ab","c" and "a","bc" differ.
    Digest& add(std::string_view text);
    Digest& add(double value);

    /// 32 hexadecimal digits of all that was added.
    [[nodiscard]] std::string hex() const;

    /// Adds the content of a file.
    Result<bool> addFile(const std::filesystem::path& path);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

/// The digest of a file's content.
///
/// Errors   frame.not_readable  the file cannot be opened or read
Result<std::string> contentHash(const std::filesystem::path& path);

} // namespace pathmark
