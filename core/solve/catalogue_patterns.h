#pragma once

#include "core/base/job.h"
#include "core/catalog/star_store.h"
#include "core/solve/pattern_index.h"

#include <filesystem>
#include <mutex>
#include <optional>
#include <string>

namespace pathmark::solve {

/// Stars of each sky cell that patterns are made of.
constexpr int kCellStars = 8;

/// Few stars make few patterns: then more of each are kept.
void enrich(IndexOptions& options, std::size_t stars);

/// The patterns of a whole catalogue, kept beside it as NAME.patterns. They are opened, or built where they are missing or
/// of another content, when they are first asked for.
///
/// Threads  Any number may ask; the first one builds.
class CataloguePatterns {
  public:
    CataloguePatterns(std::filesystem::path folder,
                      std::string name,
                      const catalog::StarStore& store,
                      Job job);

    /// nullptr where there are none: stopped, or an empty catalogue.
    const PatternIndex* get();

  private:
    std::filesystem::path folder_;
    std::string name_;
    const catalog::StarStore& store_;
    Job job_;
    std::mutex alone_;
    bool asked_ = false;
    std::optional<PatternIndex> patterns_;
};

} // namespace pathmark::solve
