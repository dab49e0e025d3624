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

    /// The brightest stars around a place, about as many per square degree as asked for, the brightest first.
    ///
    /// Errors   catalog.no_stars
    [[nodiscard]] Result<std::vector<Star>>
    brightest(const SkyPos& centre, Angle radius, const Utc& date, double perSquareDegree) const;

    /// Directions of the brightest stars of the whole catalogue at its epoch, about `most` of them, as many from each
    /// tile, the brightest first.
    [[nodiscard]] std::vector<Vec3> brightestDirections(std::size_t most) const;

    /// Names of the catalogues in a folder, sorted.
    static std::vector<std::string> names(const std::filesystem::path& folder);

  private:
    struct Mapping;
    StarStore();

    /// Stars of a disc, at most so many of each tile, the brightest first.
    [[nodiscard]] std::vector<Star> collect(const SkyPos& centre,
                                            Angle radius,
                                            const Utc& date,
                                            double faintestG,
                                            std::uint64_t mostPerTile) const;

    std::unique_ptr<Mapping> mapping_;
    std::string digest_;
};

} // namespace pathmark::catalog
