#pragma once

#include "core/identify/orbit_catalog.h"
#include "core/orbit/place/ephemeris.h"

#include <memory>
#include <span>
#include <vector>

namespace pathmark::identify {

/// Times in groups of one night each (12 hours from the first), in order of time; as indices.
std::vector<std::vector<std::size_t>> nightsOf(std::span<const Utc> times);

/// Where all the bodies of a catalogue are during one night: made once, then asked for each frame.
///
/// Every body has a coarse place for the middle of the night and a radius within which it stays: what it may have
/// strayed from its unperturbed orbit (DeviationBounds), what it moves in half the night, the stated runoff of its
/// orbit. Bodies without a useful radius (they passed a planet, or their epoch is years away) are integrated at once. Those whose
/// circle touches a field are integrated when the field is first asked for, and kept.
///
/// Accuracy Complete: no body is missed that its full integration has in the field (tested, near-Earth ones too).
/// Threads  One caller at a time; the work inside is shared out.
class NightBodies {
  public:
    /// Errors   orbit.outside_ephemeris
    static Result<NightBodies> make(const OrbitCatalog& catalog,
                                    const orbit::Planets& planets,
                                    const Utc& from,
                                    const Utc& to,
                                    const Job& job = {});

    NightBodies(NightBodies&&) noexcept;
    NightBodies& operator=(NightBodies&&) noexcept;
    ~NightBodies();

    /// A body near a field, with its exact motion for the night.
    struct NearbyBody {
        std::size_t orbit = 0;
        const orbit::Ephemeris* ephemeris = nullptr;
    };

    /// All bodies that can be within `radius` of `centre` at any time of the night; in order of the catalogue.
    std::vector<NearbyBody> near(const SkyPos& centre, Angle radius);

    [[nodiscard]] const OrbitCatalog& catalog() const;

    /// Bodies whose motion could not be followed, with the reason: they met a planet, say.
    [[nodiscard]] const std::vector<Error>& lost() const;

    /// How many orbits were integrated so far.
    [[nodiscard]] std::size_t integrated() const;

  private:
    struct Index;
    explicit NightBodies(std::unique_ptr<Index> index);

    std::unique_ptr<Index> index_;
};

} // namespace pathmark::identify
