#pragma once

#include "core/catalog/star_store.h"
#include "core/night/body_orbit.h"

#include <filesystem>
#include <memory>
#include <mutex>

namespace pathmark::night {

/// What a night's recipe names: orbits, and its star catalogue.
struct NightSources {
    std::shared_ptr<const OrbitSources> orbits;
    std::shared_ptr<const catalog::StarStore> stars;
};

/// The sources of one night, each read when somebody first asks for it and kept: all orbits known take seconds to read and a third of
/// a gigabyte.
///
/// Threads  May be asked from many threads at once; whoever asks first reads, those who ask meanwhile wait for it.
class KeptSources {
  public:
    explicit KeptSources(std::filesystem::path recipe) : recipe_(std::move(recipe)) {}

    /// Errors   those of readOrbitSources
    Result<std::shared_ptr<const OrbitSources>> orbits(const Job& job);

    /// Errors   night.bad_recipe, catalog.not_found
    Result<std::shared_ptr<const catalog::StarStore>> stars();

    /// Errors   those of both
    Result<NightSources> all(const Job& job);

  private:
    std::filesystem::path recipe_;
    std::mutex orbitsGuard_;
    std::shared_ptr<const OrbitSources> orbits_;
    std::mutex starsGuard_;
    std::shared_ptr<const catalog::StarStore> stars_;
};

} // namespace pathmark::night
