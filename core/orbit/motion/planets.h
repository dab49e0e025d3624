#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/base/time.h"

#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace pathmark::orbit {

/// A body of an SPK kernel by its number there.
enum class SpkBody : int {
    Mercury = 1,
    Venus = 2,
    EarthMoon = 3, ///< their common centre of mass
    Mars = 4,
    Jupiter = 5,
    Saturn = 6,
    Uranus = 7,
    Neptune = 8,
    Pluto = 9,
    Sun = 10,
    Moon = 301,
    Earth = 399,
};

/// The SPK number of a numbered minor planet.
constexpr SpkBody minorPlanet(int number) {
    return static_cast<SpkBody>(2000000 + number);
}

constexpr double kKilometresPerAu = 149597870.7;

/// Places of Sun, planets and whatever else the given JPL kernels hold (SPK, types 2 and 3, either byte order).
///
/// Frame    ICRS, barycentric, au and au/day.
/// Errors   orbit.outside_ephemeris  no segment covers the date; says what the files do cover
/// Accuracy That of the files.
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

    /// Several kernels; where two hold the same body at the same time the later one counts.
    static Result<Planets> open(std::span<const std::filesystem::path> paths);

    Planets(Planets&&) noexcept;
    Planets& operator=(Planets&&) noexcept;
    ~Planets();

    /// The Earth is made from the Earth-Moon centre and the Moon where the files have no Earth.
    [[nodiscard]] Result<State> state(SpkBody body, const Tdb& time) const;
    [[nodiscard]] Result<State> sun(const Tdb& time) const;
    [[nodiscard]] Result<State> earth(const Tdb& time) const;

    /// The inner loop of an integration: false where no segment covers the time.
    ///
    /// Time     TDB seconds past J2000.
    [[nodiscard]] bool find(SpkBody body, double seconds, State& state) const;

    /// The place alone, in half the time.
    [[nodiscard]] bool findPlace(SpkBody body, double seconds, Vec3& place) const;

    /// Whether any segment of the body exists, at whatever time.
    [[nodiscard]] bool has(SpkBody body) const;

    /// What the files hold of a body, e.g. "1995-01-01 to 2010-01-01 and 2011-05-02 to 2055-01-01".
    [[nodiscard]] std::string coverage(SpkBody body) const;

  private:
    struct Store;
    Planets();

    std::unique_ptr<Store> store_;
};

/// TDB seconds past J2000, the time of SPK files.
double secondsPastJ2000(const Tdb& time);

} // namespace pathmark::orbit
