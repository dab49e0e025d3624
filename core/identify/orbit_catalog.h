#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/identify/orbit_columns.h"
#include "core/orbit/formats/orbit_list.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string_view>

namespace pathmark::identify {

/// All known bodies of some orbit files, ready for a quick look over every one.
///
/// In memory, or mapped from an index on the disk that is made once for the files and stays good until one of them
/// changes: 1.4 million orbits are then there at once.
///
/// Threads  Reading is safe from many threads.
class OrbitCatalog {
  public:
    /// What came of reading the files; empty where an index was good.
    struct Reading {
        std::vector<Error> badLines;
        int duplicates = 0;
        bool fromIndex = false;
    };

    static OrbitCatalog make(std::vector<orbit::Elements> orbits);

    /// Reads the files, or the index that `indexFolder` holds of them; makes the index where there is none.
    ///
    /// Errors   orbit.not_readable; an index that cannot be written is told in a message, not an error
    static Result<OrbitCatalog> open(std::span<const std::filesystem::path> files,
                                     const std::filesystem::path& indexFolder,
                                     const Job& job,
                                     Reading& reading);

    OrbitCatalog(OrbitCatalog&&) noexcept;
    OrbitCatalog& operator=(OrbitCatalog&&) noexcept;
    ~OrbitCatalog();

    [[nodiscard]] std::size_t size() const { return columns_.size; }

    [[nodiscard]] const OrbitColumns& columns() const { return columns_; }

    [[nodiscard]] orbit::Elements elements(std::size_t i) const;
    [[nodiscard]] std::string_view name(std::size_t i) const;

    /// By any of its names, see BodyId.
    [[nodiscard]] std::optional<std::size_t> find(std::string_view name) const;

    /// What the bound of a body's deviation needs, without making whole elements.
    struct Shape {
        double epochDay = 0.0; ///< TDB since J2000
        double perihelionAu = 0.0;
        double eccentricity = 0.0;
        std::optional<double> runoffArcsecPerDecade;
    };

    [[nodiscard]] Shape shape(std::size_t i) const;

  private:
    struct Store;
    OrbitCatalog();

    std::unique_ptr<Store> store_;
    OrbitColumns columns_;
};

} // namespace pathmark::identify
