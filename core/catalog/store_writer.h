#pragma once

#include "core/base/result.h"
#include "core/catalog/star.h"

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::catalog {

/// What a written store holds.
struct StoreReport {
    std::uint64_t stars = 0;
    std::uint64_t duplicates =
        0; ///< rows left out because the very same star was there, under any id
};

/// Writes a store of any size: rows are sorted in portions that fit into memory, the portions merged at the end.
class StoreWriter {
  public:
    /// `rowsInMemory`: 64 bytes each, twice while they are sorted.
    StoreWriter(std::filesystem::path folder,
                std::string name,
                std::size_t rowsInMemory = 6'000'000);
    ~StoreWriter();
    StoreWriter(const StoreWriter&) = delete;
    StoreWriter& operator=(const StoreWriter&) = delete;

    /// Takes rows in any order.
    ///
    /// Errors   base.cannot_write, base.disk_full
    Result<bool> add(const std::vector<StarRow>& rows);

    /// Writes the store, whole or not at all: until then an older one of that name stays as it is.
    ///
    /// Errors   base.cannot_write, base.disk_full
    Result<StoreReport> finish();

  private:
    Result<bool> spill();

    std::filesystem::path folder_;
    std::string name_;
    std::size_t most_;
    std::vector<StarRow> rows_;
    std::vector<std::filesystem::path> portions_; ///< sorted rows on disk
};

/// Whether a catalogue may have that name: it becomes the name of a file.
///
/// Errors   catalog.bad_name
Result<bool> checkCatalogueName(const std::string& name);

/// Writes a store of rows in memory.
Result<bool> writeStore(const std::filesystem::path& folder,
                        const std::string& name,
                        const std::vector<StarRow>& rows);

} // namespace pathmark::catalog
