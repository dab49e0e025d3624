#include "core/solve/pattern_index.h"

#include "core/base/atomic_file.h"
#include "core/base/parallel.h"

#include <fcntl.h>
#include <healpix_base.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fstream>
#include <numbers>

namespace pathmark::solve {
namespace fs = std::filesystem;

namespace {

using Cells = T_Healpix_Base<int64>;

constexpr std::size_t kNearest = 40; // bright stars in and around a cell that ends are chosen from
constexpr int kFinestOrder = 15;
constexpr std::array<char, 8> kMagic{'P', 'M', 'Q', 'U', 'A', 'D', 'S', '1'};

std::uint64_t cellOf(const Cells& cells, const Vec3& v) {
    return static_cast<std::uint64_t>(cells.vec2pix(vec3(v[0], v[1], v[2])));
}

/// A level under construction.
struct LevelData {
    int order = 0;
    std::vector<std::uint64_t> cells;
    std::vector<std::uint32_t> starts;
    std::vector<std::uint32_t> members;
};

/// The brightest stars of every cell; `candidates` ascending, so brightest first.
LevelData fillLevel(int order,
                    int starsPerCell,
                    std::span<const Vec3> stars,
                    const std::vector<std::uint32_t>& candidates) {
    const Cells cells(order, NEST);
    std::vector<std::pair<std::uint64_t, std::uint32_t>> byCell(candidates.size());
    parallelFor((candidates.size() + 4095) / 4096, [&](std::size_t chunk) {
        for (std::size_t i = chunk * 4096; i < std::min(candidates.size(), (chunk + 1) * 4096);
             ++i) {
            byCell[i] = {cellOf(cells, stars[candidates[i]]), candidates[i]};
        }
    });
    std::sort(byCell.begin(), byCell.end());
    LevelData level;
    level.order = order;
    std::uint64_t current = ~0ULL;
    int count = 0;
    for (const auto& [cell, star] : byCell) {
        if (cell != current) {
            current = cell;
            count = 0;
            level.cells.push_back(cell);
            level.starts.push_back(static_cast<std::uint32_t>(level.members.size()));
        }
        if (count++ < starsPerCell) {
            level.members.push_back(star);
        }
    }
    level.starts.push_back(static_cast<std::uint32_t>(level.members.size()));
    return level;
}

IndexLevel viewOf(const LevelData& data) {
    return {data.order, data.cells, data.starts, data.members};
}

/// A star near a cell, in the tangent plane about it in units of the cell's side.
struct NearStar {
    std::uint32_t star;
    Place place;
    bool own; ///< of the cell itself
    int uses = 0;
};

std::vector<NearStar> gather(const Cells& cells,
                             const IndexLevel& level,
                             std::uint64_t cell,
                             std::span<const Vec3> stars) {
    const vec3 middle = cells.pix2vec(static_cast<int64>(cell));
    const Vec3 m{middle.x, middle.y, middle.z};
    Vec3 east = cross({0.0, 0.0, 1.0}, m);
    east = (1.0 / std::max(1e-12, norm(east))) * east;
    const Vec3 north = cross(m, east);
    const double unit = 1.0 / PatternIndex::cellSide(level.order).radians();
    fix_arr<int64, 8> around;
    cells.neighbors(static_cast<int64>(cell), around);
    std::vector<NearStar> near;
    const auto add = [&](std::uint64_t which, bool own) {
        for (const std::uint32_t star : level.starsOf(which)) {
            const double depth = dot(stars[star], m);
            if (depth > 0.2) {
                near.push_back({star,
                                {dot(stars[star], east) / depth * unit,
                                 dot(stars[star], north) / depth * unit},
                                own});
            }
        }
    };
    add(cell, true);
    for (std::size_t i = 0; i < 8; ++i) {
        if (around[i] >= 0) {
            add(static_cast<std::uint64_t>(around[i]), false);
        }
    }
    std::sort(near.begin(), near.end(), [](const NearStar& a, const NearStar& b) {
        return a.star < b.star;
    });
    return near;
}

/// Too near an end or each other, two stars are one in poor seeing.
bool isDegenerate(const std::array<float, 4>& v) {
    const auto close = [](float x, float y) { return x * x + y * y < 0.05F * 0.05F; };
    return close(v[0], v[1]) || close(v[2] - 1.0F, v[3]) || close(v[0] - v[2], v[1] - v[3]);
}

/// The quads that begin at the stars of a cell, bright ones first.
std::vector<IndexQuad> quadsOf(const Cells& cells,
                               const IndexLevel& level,
                               std::uint64_t cell,
                               std::span<const Vec3> stars,
                               const IndexOptions& options) {
    auto near = gather(cells, level, cell, stars);

    struct Ends {
        std::size_t a, b;
    };

    std::vector<Ends> ends;
    const std::size_t bright = std::min(near.size(), kNearest);
    for (std::size_t b = 1; b < bright; ++b) {
        for (std::size_t a = 0; a < b; ++a) {
            // The pair belongs to the cell of its brighter star.
            const double square = std::norm(near[a].place - near[b].place);
            if (near[a].own && square > 0.25 && square <= 1.0) {
                ends.push_back({a, b});
            }
        }
    }
    std::sort(ends.begin(), ends.end(), [](const Ends& p, const Ends& q) {
        return std::pair(p.a + p.b, p.b) < std::pair(q.a + q.b, q.b);
    });
    std::vector<IndexQuad> quads;
    for (const Ends& e : ends) {
        if (static_cast<int>(quads.size()) >= options.quadsPerCell) {
            break;
        }
        if (near[e.a].uses >= options.mostUses || near[e.b].uses >= options.mostUses) {
            continue;
        }
        const Place middle = 0.5 * (near[e.a].place + near[e.b].place);
        const double square = 0.25 * std::norm(near[e.a].place - near[e.b].place);
        int made = 0;
        std::vector<std::size_t> inner;
        for (std::size_t i = 0; i < near.size() && made < options.quadsOfBase; ++i) {
            if (i == e.a || i == e.b || near[i].uses >= options.mostUses ||
                std::norm(near[i].place - middle) > square) {
                continue;
            }
            for (const std::size_t other : inner) {
                const auto code =
                    encode(near[e.a].place, near[e.b].place, near[other].place, near[i].place, 0.0);
                if (!code || isDegenerate(code->value) || made >= options.quadsOfBase) {
                    continue;
                }
                const std::array<std::size_t, 4> given{e.a, e.b, other, i};
                IndexQuad quad;
                for (std::size_t k = 0; k < 4; ++k) {
                    quad.code[k] = PatternIndex::quantise(code->value[k]);
                    quad.star[k] = near[given[code->order[k]]].star;
                    ++near[given[k]].uses;
                }
                quads.push_back(quad);
                ++made;
            }
            inner.push_back(i);
        }
    }
    return quads;
}

} // namespace

struct PatternIndex::Storage {
    std::vector<IndexStar> stars;
    std::vector<IndexQuad> quads;
    std::vector<std::uint32_t> binStarts;
    std::vector<LevelData> levels;
    void* mapped = MAP_FAILED;
    std::size_t mappedSize = 0;

    Storage() = default;
    Storage(const Storage&) = delete;
    Storage& operator=(const Storage&) = delete;

    ~Storage() {
        if (mapped != MAP_FAILED) {
            ::munmap(mapped, mappedSize);
        }
    }
};

std::span<const std::uint32_t> IndexLevel::starsOf(std::uint64_t cell) const {
    const auto at = std::lower_bound(cells.begin(), cells.end(), cell);
    if (at == cells.end() || *at != cell) {
        return {};
    }
    const auto i = static_cast<std::size_t>(at - cells.begin());
    if (starts[i] > starts[i + 1] || starts[i + 1] > members.size()) {
        return {}; // a damaged file
    }
    return members.subspan(starts[i], starts[i + 1] - starts[i]);
}

Angle PatternIndex::cellSide(int order) {
    return Angle::radians(std::sqrt(std::numbers::pi / 3.0) / std::ldexp(1.0, order));
}

int PatternIndex::orderFor(Angle base) {
    // Bases of a level are between half its side and its side.
    const double ratio = cellSide(0).radians() / std::max(1e-9, base.radians());
    return std::clamp(static_cast<int>(std::floor(std::log2(ratio))), 0, kFinestOrder);
}

std::size_t PatternIndex::binCount(std::size_t quads) {
    // Codes in order fill an eighth of their space; two or so a bin.
    return std::clamp<std::size_t>(
        static_cast<std::size_t>(std::pow(4.0 * static_cast<double>(quads) + 16.0, 0.25)), 2, 60);
}

const IndexLevel& PatternIndex::levelFor(Angle base) const {
    const int order = orderFor(base);
    return *std::min_element(
        levels_.begin(), levels_.end(), [&](const IndexLevel& a, const IndexLevel& b) {
            return std::abs(a.order - order) < std::abs(b.order - order);
        });
}

Result<PatternIndex> PatternIndex::build(std::span<const Vec3> brightestFirst,
                                         const IndexOptions& options,
                                         const Job& job) {
    auto storage = std::make_shared<Storage>();
    const int finest = std::clamp(options.finest, 0, kFinestOrder);
    const int coarsest = std::clamp(options.coarsest, 0, finest);
    std::vector<std::uint32_t> candidates(brightestFirst.size());
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        candidates[i] = static_cast<std::uint32_t>(i);
    }
    // From the finest level on: what is not among the brightest of a small cell is not among those of a large one.
    for (int order = finest; order >= coarsest; --order) {
        LevelData level = fillLevel(order, options.starsPerCell, brightestFirst, candidates);
        if (static_cast<double>(level.members.size()) <
                options.leastPerCell * static_cast<double>(level.cells.size()) &&
            order > coarsest) {
            continue;
        }
        candidates = level.members;
        storage->levels.push_back(std::move(level));
        std::sort(candidates.begin(), candidates.end());
    }
    std::reverse(storage->levels.begin(), storage->levels.end());
    std::size_t cellsDone = 0;
    std::size_t cellsTotal = 0;
    for (const LevelData& level : storage->levels) {
        cellsTotal += level.cells.size();
    }
    for (const LevelData& data : storage->levels) {
        const IndexLevel level = viewOf(data);
        const Cells cells(level.order, NEST);
        constexpr std::size_t chunk = 512;
        std::vector<std::vector<IndexQuad>> found((data.cells.size() + chunk - 1) / chunk);
        parallelFor(found.size(), [&](std::size_t c) {
            for (std::size_t i = c * chunk; i < std::min(data.cells.size(), (c + 1) * chunk); ++i) {
                if (job.stop.stop_requested()) {
                    return;
                }
                const auto some = quadsOf(cells, level, data.cells[i], brightestFirst, options);
                found[c].insert(found[c].end(), some.begin(), some.end());
            }
        });
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped while the patterns were being built.");
        }
        std::size_t total = storage->quads.size();
        for (const auto& some : found) {
            total += some.size();
        }
        if (total > options.mostQuads) {
            break;
        }
        for (const auto& some : found) {
            storage->quads.insert(storage->quads.end(), some.begin(), some.end());
        }
        cellsDone += data.cells.size();
        job.progress("Building star patterns",
                     static_cast<int>(cellsDone / 100),
                     static_cast<int>(cellsTotal / 100));
    }
    storage->stars.reserve(brightestFirst.size());
    for (const Vec3& v : brightestFirst) {
        storage->stars.push_back(
            {{static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2])}});
    }
    PatternIndex index;
    index.bins_ = binCount(storage->quads.size());
    const auto binOfQuad = [&](const IndexQuad& q) {
        return ((index.binOf(q.code[0]) * index.bins_ + index.binOf(q.code[1])) * index.bins_ +
                index.binOf(q.code[2])) *
                   index.bins_ +
               index.binOf(q.code[3]);
    };
    // Counting sort: in the order of the levels inside a bin.
    const std::size_t bins = index.bins_ * index.bins_ * index.bins_ * index.bins_;
    storage->binStarts.assign(bins + 1, 0);
    for (const IndexQuad& q : storage->quads) {
        ++storage->binStarts[binOfQuad(q) + 1];
    }
    for (std::size_t i = 1; i <= bins; ++i) {
        storage->binStarts[i] += storage->binStarts[i - 1];
    }
    std::vector<std::uint32_t> next(storage->binStarts.begin(), storage->binStarts.end() - 1);
    std::vector<IndexQuad> sorted(storage->quads.size());
    for (const IndexQuad& q : storage->quads) {
        sorted[next[binOfQuad(q)]++] = q;
    }
    storage->quads = std::move(sorted);
    index.stars_ = storage->stars;
    index.quads_ = storage->quads;
    index.binStarts_ = storage->binStarts;
    for (const LevelData& data : storage->levels) {
        index.levels_.push_back(viewOf(data));
    }
    index.storage_ = std::move(storage);
    return index;
}

namespace {

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
