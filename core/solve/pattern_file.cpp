#include "core/base/atomic_file.h"
#include "core/solve/pattern_storage.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>

// The file of an index.
namespace pathmark::solve {
namespace fs = std::filesystem;

namespace {

constexpr std::array<char, 8> kMagic{'P', 'M', 'Q', 'U', 'A', 'D', 'S', '1'};

/// The file: this, then for each level a LevelHeader with its cells, starts and members; then stars, quads and bins.
/// Every part begins at a multiple of eight bytes.
struct FileHeader {
    std::array<char, 8> magic = kMagic;
    std::array<char, 40> digest{};
    std::uint64_t levels = 0;
    std::uint64_t stars = 0;
    std::uint64_t quads = 0;
    std::uint64_t bins = 0;
};

struct LevelHeader {
    std::int64_t order = 0;
    std::uint64_t cells = 0;
    std::uint64_t members = 0;
};

constexpr std::size_t padded(std::size_t bytes) {
    return (bytes + 7) / 8 * 8;
}

/// Hands out the parts of a mapped file, none beyond its end.
class PartReader {
  public:
    explicit PartReader(std::span<const std::byte> bytes) : bytes_(bytes) {}

    template <typename T>
    std::span<const T> next(std::uint64_t count) {
        const std::size_t left = bytes_.size() - at_;
        if (count > left / sizeof(T) || padded(count * sizeof(T)) > left) {
            broken_ = true;
            return {};
        }
        const auto* first = reinterpret_cast<const T*>(bytes_.data() + at_);
        at_ += padded(count * sizeof(T));
        return {first, static_cast<std::size_t>(count)};
    }

    [[nodiscard]] bool broken() const { return broken_; }

    [[nodiscard]] bool atEnd() const { return at_ == bytes_.size(); }

  private:
    std::span<const std::byte> bytes_;
    std::size_t at_ = 0;
    bool broken_ = false;
};

} // namespace

Result<bool> PatternIndex::write(const fs::path& path, const std::string& digest) const {
    return writeWhole(path, [&](const fs::path& temporary) -> Result<bool> {
        std::ofstream out(temporary, std::ios::binary);
        const auto put = [&](const void* data, std::size_t bytes) {
            static constexpr std::array<char, 8> zeros{};
            out.write(static_cast<const char*>(data), static_cast<std::streamsize>(bytes));
            out.write(zeros.data(), static_cast<std::streamsize>(padded(bytes) - bytes));
        };
        const auto putAll = [&](const auto& values) { put(values.data(), values.size_bytes()); };
        errno = 0;
        FileHeader header;
        std::copy_n(digest.begin(),
                    std::min(digest.size(), header.digest.size() - 1),
                    header.digest.begin());
        header.levels = levels_.size();
        header.stars = stars_.size();
        header.quads = quads_.size();
        header.bins = bins_;
        put(&header, sizeof header);
        for (const IndexLevel& level : levels_) {
            const LevelHeader head{level.order, level.cells.size(), level.members.size()};
            put(&head, sizeof head);
            putAll(level.cells);
            putAll(level.starts);
            putAll(level.members);
        }
        putAll(stars_);
        putAll(quads_);
        putAll(binStarts_);
        out.close();
        if (!out) {
            return fail(writeError(errno != 0 ? errno : EIO, temporary));
        }
        return true;
    });
}

Result<PatternIndex> PatternIndex::open(const fs::path& path, const std::string& digest) {
    const auto bad = [&](const char* why) {
        return fail(ErrorId::CatalogNotFound, why, path.string());
    };
    const int handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (handle < 0) {
        return bad("There are no star patterns of this catalogue yet.");
    }
    auto storage = std::make_shared<Storage>();

    struct stat status {};

    ::fstat(handle, &status);
    storage->mappedSize = static_cast<std::size_t>(status.st_size);
    if (storage->mappedSize > 0) {
        storage->mapped = ::mmap(nullptr, storage->mappedSize, PROT_READ, MAP_PRIVATE, handle, 0);
    }
    ::close(handle);
    if (storage->mapped == MAP_FAILED) {
        return bad("The star patterns cannot be read.");
    }
    PartReader reader({static_cast<const std::byte*>(storage->mapped), storage->mappedSize});
    PatternIndex index;
    const auto header = reader.next<FileHeader>(1);
    if (reader.broken() || header[0].magic != kMagic || header[0].bins < 2 || header[0].bins > 60 ||
        header[0].levels > 20) {
        return bad("These star patterns are damaged or of another version.");
    }
    if (std::strncmp(header[0].digest.data(), digest.c_str(), header[0].digest.size() - 1) != 0) {
        return bad("These star patterns are of another content of the catalogue.");
    }
    for (std::uint64_t l = 0; l < header[0].levels; ++l) {
        const auto head = reader.next<LevelHeader>(1);
        if (reader.broken()) {
            break;
        }
        IndexLevel level;
        level.order = static_cast<int>(head[0].order);
        level.cells = reader.next<std::uint64_t>(head[0].cells);
        level.starts = reader.next<std::uint32_t>(head[0].cells + 1);
        level.members = reader.next<std::uint32_t>(head[0].members);
        index.levels_.push_back(level);
    }
    index.stars_ = reader.next<IndexStar>(header[0].stars);
    index.quads_ = reader.next<IndexQuad>(header[0].quads);
    index.bins_ = header[0].bins;
    index.binStarts_ =
        reader.next<std::uint32_t>(index.bins_ * index.bins_ * index.bins_ * index.bins_ + 1);
    if (reader.broken() || !reader.atEnd() || index.levels_.empty()) {
        return bad("These star patterns are cut short.");
    }
    index.storage_ = std::move(storage);
    return index;
}

} // namespace pathmark::solve
