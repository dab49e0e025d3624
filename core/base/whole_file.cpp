#include "core/base/whole_file.h"

#include <zlib.h>

#include <algorithm>

namespace pathmark {
namespace {

/// What may come out of a packed file: lists of the trade come to a tenth of their size; what comes to a thousandth is there to fill a memory.
constexpr std::size_t kAlwaysAllowed = std::size_t{64} << 20U;
constexpr std::size_t kMostTimesPacked = 64;

} // namespace

std::optional<std::string> readWholeFile(const std::filesystem::path& path) {
    // Opening a folder succeeds in the library and then reads nothing.
    std::error_code status;
    if (!std::filesystem::is_regular_file(path, status)) {
        return std::nullopt;
    }
    gzFile file = gzopen(path.c_str(), "rb");
    if (file == nullptr) {
        return std::nullopt;
    }
    gzbuffer(file, 1U << 18U);
    std::string text;
    const auto packed = static_cast<std::size_t>(std::filesystem::file_size(path, status));
    text.resize(packed + 1);
    const std::size_t most = kAlwaysAllowed + kMostTimesPacked * packed;
    std::size_t size = 0;
    bool good = true;
    while (true) {
        if (size > most) {
            good = false;
            break;
        }
        if (size == text.size()) {
            text.resize(2 * text.size());
        }
        const auto room =
            static_cast<unsigned>(std::min<std::size_t>(text.size() - size, 1U << 30U));
        const int read = gzread(file, text.data() + size, room);
        if (read <= 0) {
            good = read == 0;
            break;
        }
        size += static_cast<std::size_t>(read);
    }
    int problem = Z_OK;
    gzerror(file, &problem);
    good = good && (problem == Z_OK || problem == Z_STREAM_END);
    gzclose(file);
    text.resize(size);
    return good ? std::optional(std::move(text)) : std::nullopt;
}

} // namespace pathmark
