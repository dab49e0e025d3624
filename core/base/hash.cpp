#include "core/base/hash.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <cstdint>
#include <fstream>
#include <vector>

namespace pathmark {

struct Digest::State {
    XXH3_state_t* xxh = XXH3_createState();

    State() { XXH3_128bits_reset(xxh); }

    ~State() { XXH3_freeState(xxh); }

    State(const State&) = delete;
    State& operator=(const State&) = delete;
};

Digest::Digest() : state_(std::make_unique<State>()) {}

Digest::~Digest() = default;

Digest& Digest::add(std::string_view text) {
    const std::uint64_t size = text.size();
    XXH3_128bits_update(state_->xxh, &size, sizeof size);
    XXH3_128bits_update(state_->xxh, text.data(), text.size());
    return *this;
}

Digest& Digest::add(double value) {
    return add(fmt::format("{}", value));
}

std::string Digest::hex() const {
    const XXH128_hash_t hash = XXH3_128bits_digest(state_->xxh);
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

Result<bool> Digest::addFile(const std::filesystem::path& path) {
    std::ifstream stream(path, std::ios::binary);
    std::vector<char> block(1 << 20);
    while (stream) {
        stream.read(block.data(), static_cast<std::streamsize>(block.size()));
        XXH3_128bits_update(state_->xxh, block.data(), static_cast<std::size_t>(stream.gcount()));
    }
    if (!stream.eof()) {
        return fail(ErrorId::FrameNotReadable,
                    "The file cannot be read; check that it exists and may be opened.",
                    path.string());
    }
    return true;
}

Result<std::string> contentHash(const std::filesystem::path& path) {
    Digest digest;
    if (auto added = digest.addFile(path); !added) {
        return fail(added.error());
    }
    return digest.hex();
}

} // namespace pathmark
