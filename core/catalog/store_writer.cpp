#include "core/catalog/store_writer.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/catalog/store_format.h"

#include <queue>

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <cerrno>
#include <fstream>
#include <optional>
#include <tuple>

namespace pathmark::catalog {
namespace fs = std::filesystem;

namespace {

constexpr std::size_t kBufferRows = 8192; // of each portion while they are merged

int tileOf(const StarRow& row) {
    return tiles().ang2pix(toPointing(skyDegrees(row.raDegrees, row.decDegrees)));
}

/// The order of a store: by tile, the brightest first in each.
struct Key {
    int tile = 0;
    float mag = 0.0F;
    std::int64_t id = 0;
    double ra = 0.0;
    std::size_t index = 0;

    friend auto operator<=>(const Key& a, const Key& b) {
        // Before the id, so that one star under two ids stands beside itself.
        return std::tie(a.tile, a.mag, a.ra, a.id, a.index) <=>
               std::tie(b.tile, b.mag, b.ra, b.id, b.index);
    }
};

void sortRows(std::vector<StarRow>& rows) {
    std::vector<Key> keys(rows.size());
    constexpr std::size_t chunk = 16384;
    parallelFor((rows.size() + chunk - 1) / chunk, [&](std::size_t c) {
        for (std::size_t i = c * chunk; i < std::min(rows.size(), (c + 1) * chunk); ++i) {
            keys[i] = {tileOf(rows[i]), rows[i].magG, rows[i].sourceId, rows[i].raDegrees, i};
        }
    });
    std::sort(keys.begin(), keys.end());
    std::vector<StarRow> sorted;
    sorted.reserve(rows.size());
    for (const Key& key : keys) {
        sorted.push_back(rows[key.index]);
    }
    rows = std::move(sorted);
}

/// Sorted rows, of a portion on disk or of the last one in memory.
class SortedRows {
  public:
    explicit SortedRows(const fs::path& path) : file_(path, std::ios::binary) { refill(); }

    explicit SortedRows(std::vector<StarRow> rows) : buffer_(std::move(rows)) { setKey(); }

    [[nodiscard]] bool atEnd() const { return at_ >= buffer_.size(); }

    [[nodiscard]] const StarRow& row() const { return buffer_[at_]; }

    [[nodiscard]] const Key& key() const { return key_; }

    void advance() {
        if (++at_ >= buffer_.size() && file_.is_open()) {
            refill();
        } else {
            setKey();
        }
    }

  private:
    void refill() {
        buffer_.resize(kBufferRows);
        file_.read(reinterpret_cast<char*>(buffer_.data()),
                   static_cast<std::streamsize>(kBufferRows * sizeof(StarRow)));
        buffer_.resize(static_cast<std::size_t>(file_.gcount()) / sizeof(StarRow));
        at_ = 0;
        setKey();
    }

    void setKey() {
        if (!atEnd()) {
            key_ = {tileOf(row()), row().magG, row().sourceId, row().raDegrees, 0};
        }
    }

    std::ifstream file_;
    std::vector<StarRow> buffer_;
    std::size_t at_ = 0;
    Key key_;
};

bool isSame(const StarRow& a, const StarRow& b) {
    return a.sourceId == b.sourceId && a.raDegrees == b.raDegrees && a.decDegrees == b.decDegrees &&
           a.magG == b.magG;
}

/// The same place and brightness to the last digit: one star that a table holds twice.
bool isSamePlace(const StarRow& a, const StarRow& b) {
    return a.raDegrees == b.raDegrees && a.decDegrees == b.decDegrees && a.magG == b.magG;
}

/// Calls put(row, tile) for all rows in order, doubles left out; returns how many were.
template <typename Put>
std::uint64_t merge(std::vector<SortedRows>& portions, const Put& put) {
    const auto later = [&](std::size_t a, std::size_t b) {
        return std::pair(portions[b].key(), b) < std::pair(portions[a].key(), a);
    };
    std::priority_queue<std::size_t, std::vector<std::size_t>, decltype(later)> open(later);
    for (std::size_t i = 0; i < portions.size(); ++i) {
        if (!portions[i].atEnd()) {
            open.push(i);
        }
    }
    std::uint64_t duplicates = 0;
    std::optional<StarRow> last;
    while (!open.empty()) {
        const std::size_t i = open.top();
        open.pop();
        const StarRow& row = portions[i].row();
        if (last && isSame(*last, row)) {
            ++duplicates;
        } else {
            // Under two ids one star would be two that no pattern can tell apart.
            if (last && isSamePlace(*last, row)) {
                ++duplicates;
            } else {
                put(row, portions[i].key().tile);
            }
            last = row;
        }
        portions[i].advance();
        if (!portions[i].atEnd()) {
            open.push(i);
        }
    }
    return duplicates;
}

/// Writes rows in blocks and takes their digest.
class RowFile {
  public:
    explicit RowFile(const fs::path& path) : out_(path, std::ios::binary) {}

    void put(const void* data, std::size_t bytes) {
        out_.write(static_cast<const char*>(data), static_cast<std::streamsize>(bytes));
    }

    void add(const StarRow& row) {
        block_.push_back(row);
        if (block_.size() >= kBufferRows) {
            flush();
        }
    }

    void flush() {
        const std::size_t bytes = block_.size() * sizeof(StarRow);
        digest_.add(std::string_view(reinterpret_cast<const char*>(block_.data()), bytes));
        put(block_.data(), bytes);
        block_.clear();
    }

    [[nodiscard]] std::string digest() const { return digest_.hex(); }

    void rewind() { out_.seekp(0); }

    [[nodiscard]] bool close() {
        out_.close();
        return static_cast<bool>(out_);
    }

  private:
    std::ofstream out_;
    std::vector<StarRow> block_;
    Digest digest_;
};

} // namespace

StoreWriter::StoreWriter(fs::path folder, std::string name, std::size_t rowsInMemory)
    : folder_(std::move(folder)), name_(std::move(name)), most_(rowsInMemory) {}

StoreWriter::~StoreWriter() {
    std::error_code ignored;
    for (const auto& portion : portions_) {
        fs::remove(portion, ignored);
    }
}

Result<bool> StoreWriter::add(const std::vector<StarRow>& rows) {
    rows_.insert(rows_.end(), rows.begin(), rows.end());
    return rows_.size() < most_ ? Result<bool>(true) : spill();
}

Result<bool> StoreWriter::spill() {
    if (auto good = checkCatalogueName(name_); !good) {
        return good;
    }
    if (auto made = makeFolder(folder_); !made) {
        return made;
    }
    sortRows(rows_);
    const auto path =
        folder_ / fmt::format(".{}-{}-{}.portion", name_, ::getpid(), portions_.size());
    portions_.push_back(path);
    errno = 0;
    std::ofstream out(path, std::ios::binary);
    out.write(reinterpret_cast<const char*>(rows_.data()),
              static_cast<std::streamsize>(rows_.size() * sizeof(StarRow)));
    out.close();
    if (!out) {
        return fail(writeError(errno != 0 ? errno : EIO, path));
    }
    rows_.clear();
    return true;
}

Result<bool> checkCatalogueName(const std::string& name) {
    const bool good = !name.empty() && name.front() != '.' && name.size() <= 64 &&
                      std::all_of(name.begin(), name.end(), [](unsigned char c) {
                          return std::isalnum(c) != 0 || c == '_' || c == '-' || c == '.';
                      });
    return good ? Result<bool>(true)
                : fail(ErrorId::CatalogBadName,
                       "A catalogue's name is made of letters, digits, '-', '_' and '.', 64 at the "
                       "most, and does not begin with a point.",
                       name);
}

Result<StoreReport> StoreWriter::finish() {
    if (auto good = checkCatalogueName(name_); !good) {
        return fail(good.error());
    }
    if (auto made = makeFolder(folder_); !made) {
        return fail(made.error());
    }
    sortRows(rows_);
    std::vector<SortedRows> portions;
    for (const auto& path : portions_) {
        portions.emplace_back(path);
    }
    portions.emplace_back(std::move(rows_));
    StoreReport report;
    auto written =
        writeWhole(storePath(folder_, name_), [&](const fs::path& temporary) -> Result<bool> {
            errno = 0;
            RowFile out(temporary);
            StoreHeader header;
            std::vector<std::uint64_t> starts(static_cast<std::size_t>(tiles().Npix()) + 1, 0);
            const auto putHead = [&] {
                out.put(&header, sizeof header);
                out.put(starts.data(), starts.size() * sizeof(std::uint64_t));
            };
            putHead(); // room for what is known only at the end
            report.duplicates = merge(portions, [&](const StarRow& row, int tile) {
                ++starts[static_cast<std::size_t>(tile) + 1];
                ++header.rows;
                out.add(row);
            });
            out.flush();
            for (std::size_t i = 1; i < starts.size(); ++i) {
                starts[i] += starts[i - 1];
            }
            const std::string hex = out.digest();
            std::copy(hex.begin(), hex.end(), header.digest.begin());
            out.rewind();
            putHead();
            report.stars = header.rows;
            if (!out.close()) {
                return fail(writeError(errno != 0 ? errno : EIO, temporary));
            }
            return true;
        });
    if (!written) {
        return fail(written.error());
    }
    return report;
}

Result<bool>
writeStore(const fs::path& folder, const std::string& name, const std::vector<StarRow>& rows) {
    StoreWriter writer(folder, name, rows.size() + 1);
    if (auto added = writer.add(rows); !added) {
        return added;
    }
    const auto report = writer.finish();
    return report ? Result<bool>(true) : fail(report.error());
}

} // namespace pathmark::catalog
