#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/base/time.h"
#include "core/catalog/star.h"

#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace pathmark::catalog {

/// A star catalogue on disk, sorted into sky tiles (HEALPix, nested) and by brightness inside each, mapped
/// into memory: a field costs the reading of its own stars only.
class StarStore {
  public:
    /// Opens DIR/NAME.stars.
    ///
    /// Errors   catalog.not_found  no such catalogue, or the file is damaged
    static Result<StarStore> open(const std::filesystem::path& folder, const std::string& name);

    StarStore(StarStore&&) noexcept;
    StarStore& operator=(StarStore&&) noexcept;
    ~StarStore();

    [[nodiscard]] std::uint64_t starCount() const;

    /// Digest of the content, for keys of products that rest on it.
    [[nodiscard]] const std::string& contentDigest() const { return digest_; }

    /// Stars within `radius` of `centre`, the brightest first, moved to `date` by proper motion and parallax.
    ///
    /// Errors   catalog.no_stars  the catalogue has no star there
    [[nodiscard]] Result<std::vector<Star>>
    field(const SkyPos& centre, Angle radius, const Utc& date, double faintestG = 99.0) const;

    /// Names of the catalogues in a folder, sorted.
    static std::vector<std::string> names(const std::filesystem::path& folder);

  private:
    struct Mapping;
    StarStore();

    std::unique_ptr<Mapping> mapping_;
    std::string digest_;
};

/// Writes a store, whole or not at all. Rows in any order.
///
/// Errors   base.cannot_write, base.disk_full
Result<bool>
writeStore(const std::filesystem::path& folder, const std::string& name, std::vector<StarRow> rows);

} // namespace pathmark::catalog
