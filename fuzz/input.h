#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <string>

namespace pathmark::fuzz {

/// The made-up bytes of one execution, as what the reader under test takes.
class Input {
  public:
    Input(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}

    [[nodiscard]] std::string text() const { return {reinterpret_cast<const char*>(data_), size_}; }

    /// A file with these bytes, in memory where the machine has such a folder, and the same one at each execution.
    [[nodiscard]] std::filesystem::path file(const char* name) const;

  private:
    const std::uint8_t* data_;
    std::size_t size_;
};

/// What a target does with an input: it ends in a value or an error, and in nothing else.
void execute(const Input& input);

} // namespace pathmark::fuzz
