#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/base/time.h"

#include <filesystem>
#include <memory>

namespace pathmark::orbit {

/// Places of Sun and planets from a JPL kernel (SPK, types 2 and 3, either byte order).
///
/// Frame    ICRS, barycentric, au and au/day.
/// Errors   orbit.outside_ephemeris  the date lies outside the file's segments
/// Accuracy That of the file.
/// Threads  Reading is safe from many threads.
/// Source   Acton 1996, Planet. Space Sci. 44, 65; the DAF and SPK file layouts are public.
class Planets {
  public:
    struct State {
        Vec3 position{};
        Vec3 velocity{};
    };

    /// Errors   orbit.not_readable  missing or not an SPK file
    static Result<Planets> open(const std::filesystem::path& path);

    Planets(Planets&&) noexcept;
    Planets& operator=(Planets&&) noexcept;
    ~Planets();

    [[nodiscard]] Result<State> sun(const Tdb& time) const;
    [[nodiscard]] Result<State> earth(const Tdb& time) const;

  private:
    struct File;
    Planets();

    std::unique_ptr<File> file_;
};

} // namespace pathmark::orbit
