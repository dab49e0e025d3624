#pragma once

#include "core/base/result.h"
#include "core/sweep/tile_search.h"

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark::sweep {

/// Parts of a search that are done, in a folder: a search that was stopped or killed goes on from there. Exact to the bit, so that it ends the same.
class KeptHits {
  public:
    /// `folder` belongs to one search of the same frames, motions and threshold; empty: nothing is kept.
    explicit KeptHits(std::filesystem::path folder) : folder_(std::move(folder)) {}

    /// A part that was kept whole.
    [[nodiscard]] std::optional<SearchResult> part(const std::string& name) const;

    /// Errors   base.cannot_write, base.disk_full
    [[nodiscard]] Result<bool> keep(const std::string& name, const SearchResult& part) const;

  private:
    std::filesystem::path folder_;
};

} // namespace pathmark::sweep
