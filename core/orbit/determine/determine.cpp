#include "core/orbit/determine/determine.h"

#include "core/orbit/determine/ranging.h"
#include "core/orbit/motion/kepler.h"
#include "core/orbit/motion/trajectory.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {
namespace {

double spanDays(std::span<const Sighting> sightings) {
    return sightings.back().observer.tdb.secondsSince(sightings.front().observer.tdb) /
           kSecondsPerDay;
}

/// The sightings within `days` to both sides of a time.
std::span<const Sighting> around(std::span<const Sighting> all, const Tdb& time, double days) {
    const auto early = std::find_if(all.begin(), all.end(), [&](const Sighting& s) {
        return s.observer.tdb.secondsSince(time) >= -days * kSecondsPerDay;
    });
    const auto late = std::find_if(early, all.end(), [&](const Sighting& s) {
        return s.observer.tdb.secondsSince(time) > days * kSecondsPerDay;
    });
    return all.subspan(static_cast<std::size_t>(early - all.begin()),
                       static_cast<std::size_t>(late - early));
}

/// The state at another time, all that pulls.
std::optional<StartOrbit> carried(const StartOrbit& start, const Forces& forces, const Tdb& time) {
    const auto trajectory = Trajectory::make(start.state, start.epoch, forces, time, time);
    const auto sun = forces.planets().sun(time);
    if (!trajectory || !sun) {
        return std::nullopt;
    }
    const StateVector s = trajectory->barycentric(time);
    return StartOrbit{{s.position - sun->position, s.velocity - sun->velocity}, time, 0.0};
}

/// Midnight nearest to the middle of the arc: the epoch that all formats can hold.
Tdb middleOf(std::span<const Sighting> sightings) {
    const Tdb& first = sightings.front().observer.tdb;
    const Tdb middle = first.plusSeconds(0.5 * sightings.back().observer.tdb.secondsSince(first));
    return Tdb::julian(std::round(middle.julian() - 0.5) + 0.5);
}

/// From a start orbit over ever longer arcs to all sightings.
Result<CorrectedOrbit> grow(const StartOrbit& start,
                            std::span<const Sighting> sightings,
                            const Forces& forces,
                            const CorrectionOptions& options) {
    StartOrbit now = start;
    CorrectionOptions quick = options;
    quick.reject = false;
    quick.outgassing = false;
    quick.rounds = 12;
    const double whole = spanDays(sightings);
    double days = 20.0;
    while (days < whole) {
        const auto part = around(sightings, start.epoch, days);
        days *= 2.2;
        if (part.size() < 4 || part.size() == sightings.size()) {
            continue;
        }
        quick.reject = part.size() > 8;
        if (const auto corrected = correctOrbit(now, part, forces, quick)) {
            now.state = corrected->state;
        }
    }
    const Tdb middle = middleOf(sightings);
    if (const auto there = carried(now, forces, middle)) {
        now = *there;
    }
    return correctOrbit(now, sightings, forces, options);
}

/// Length of the longest axis of the place's ellipsoid over the distance.
double weaknessOf(const CorrectedOrbit& orbit) {
    Eigen::Matrix3d m;
    for (Eigen::Index i = 0; i < 3; ++i) {
        for (Eigen::Index j = 0; j < 3; ++j) {
            m(i, j) = orbit.covariance.matrix[static_cast<std::size_t>(9 * i + j)];
        }
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(m);
    return std::sqrt(std::max(0.0, solver.eigenvalues()[2])) / norm(orbit.state.position);
}

OrbitFit
fitOf(CorrectedOrbit corrected, std::span<const Sighting> sightings, const std::string& name) {
    OrbitFit fit;
    fit.elements = elementsOf(corrected.state, corrected.epoch);
    fit.elements.name = name;
    fit.elements.outgassing = corrected.outgassing;
    fit.elements.covariance = std::make_shared<OrbitCovariance>(corrected.covariance);
    fit.arcDays = spanDays(sightings);
    fit.weakness = weaknessOf(corrected);
    fit.orbit = std::move(corrected);
    return fit;
}

/// Each one left out costs as much as it would have been allowed to.
double scoreOf(const CorrectedOrbit& o) {
    return o.chiSquare +
           CorrectionOptions{}.rejectChi *
               static_cast<double>(o.residuals.size() - static_cast<std::size_t>(o.used));
}

/// Arcs shorter than this may lead along a flat valley for long; each round costs little there.
constexpr double kFlatDays = 10.0;

/// How far chi-square lies above its mean, in its own standard deviations.
double excessOf(const CorrectedOrbit& o) {
    const double freedom = std::max(1, 2 * o.used - o.unknowns);
    return (o.chiSquare - freedom) / std::sqrt(2.0 * freedom);
}

/// As good as honest places allow: half of them are worse.
bool isAsGoodAsTruth(const CorrectedOrbit& o) {
    return excessOf(o) < 0.5 && static_cast<std::size_t>(o.used) * 10 >= o.residuals.size() * 9;
}

/// One of another valley, or of bad places: other starts are worth their time.
bool isBad(const CorrectedOrbit& o) {
    return excessOf(o) > 3.0;
}

/// Grows each start to the whole arc and keeps the best; ends early where nothing better is to be had.
void tryStarts(const std::vector<StartOrbit>& starts,
               std::span<const Sighting> sightings,
               const Forces& forces,
               const CorrectionOptions& options,
               std::optional<CorrectedOrbit>& best) {
    for (const StartOrbit& start : starts) {
        if (options.stop.stop_requested()) {
            return;
        }
        auto corrected = grow(start, sightings, forces, options);
        if (corrected && (!best || scoreOf(*corrected) < scoreOf(*best))) {
            best = std::move(*corrected);
        }
        if (best && isAsGoodAsTruth(*best)) {
            return;
        }
    }
}

/// Orbits of the cloud of the richest short stretch, from the nearest to the farthest: where the search for two distances
/// ran into the wrong valley, one of them is in the right one.
std::vector<StartOrbit> startsFromCloud(std::span<const Sighting> sightings) {
    constexpr double stretchDays = 4.0;
    constexpr std::size_t most = 16;
    std::span<const Sighting> stretch;
    for (const Sighting& s : sightings) {
        const auto part = around(sightings, s.observer.tdb, 0.5 * stretchDays);
        if (stretch.empty() || spanDays(part) > spanDays(stretch)) {
            stretch = part;
        }
    }
    std::vector<StartOrbit> starts;
    const auto cloud = rangeSystematically(stretch);
    if (!cloud) {
        return starts;
    }
    auto cells = cloud->cells;
    starts.push_back({cells.front().state, cloud->epoch, 0.0}); // the likeliest
    std::sort(cells.begin(), cells.end(), [](const RangingCell& a, const RangingCell& b) {
        return a.distanceAu < b.distanceAu;
    });
    for (std::size_t k = 0; k < most; ++k) {
        starts.push_back({cells[k * (cells.size() - 1) / (most - 1)].state, cloud->epoch, 0.0});
    }
    return starts;
}

} // namespace

Result<OrbitFit> determineOrbit(std::span<const Sighting> sightings,
                                const Planets& planets,
                                const std::string& name,
                                const CorrectionOptions& options) {
    auto starts = findStartOrbits(sightings);
    if (!starts) {
        Error error = starts.error();
        error.subject = name;
        return fail(error);
    }
    const Forces forces(planets, name, std::nullopt);
    std::optional<CorrectedOrbit> best;
    tryStarts(*starts, sightings, forces, options, best);
    CorrectionOptions patient = options;
    if (spanDays(sightings) < kFlatDays) {
        patient.rounds = 4 * options.rounds;
    }
    const auto isStopped = [&] { return options.stop.stop_requested(); };
    if (!isStopped() && (!best || isBad(*best))) {
        tryStarts(startsFromCloud(sightings), sightings, forces, patient, best);
    }
    if (!best && patient.rounds > options.rounds) {
        tryStarts(*starts, sightings, forces, patient, best);
    }
    if (isStopped()) {
        return fail(ErrorId::BaseCancelled, "Stopped.", name);
    }
    if (!best) {
        return fail(
            ErrorId::OrbitNotDetermined, "No orbit about the Sun agrees with these places.", name);
    }
    return fitOf(std::move(*best), sightings, name);
}

Result<OrbitFit> improveOrbit(const Elements& known,
                              std::span<const Sighting> sightings,
                              const Planets& planets,
                              const CorrectionOptions& options,
                              const std::vector<bool>& use) {
    if (sightings.size() < 3) {
        return fail(ErrorId::OrbitTooFewObservations,
                    "An orbit needs three places on the sky at least.",
                    known.name);
    }
    const Forces forces(planets, known.name, known.outgassing);
    StartOrbit start{stateOf(known), known.epoch, 0.0};
    if (const auto there = carried(start, forces, middleOf(sightings))) {
        start = *there;
    }
    auto corrected = correctOrbit(start, sightings, forces, options, use);
    if (!corrected) {
        Error error = corrected.error();
        error.subject = known.name;
        return fail(error);
    }
    OrbitFit fit = fitOf(std::move(*corrected), sightings, known.name);
    fit.elements.brightness = known.brightness;
    fit.elements.packed = known.packed;
    if (!options.outgassing) {
        fit.elements.outgassing = known.outgassing;
    }
    return fit;
}

} // namespace pathmark::orbit
