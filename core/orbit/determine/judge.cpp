#include "core/orbit/determine/judge.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::orbit {
namespace {

/// Longer arcs have no cloud that a grid could hold.
constexpr double kCloudDays = 3.0;

std::vector<Sighting> chosen(const std::vector<Sighting>& all, const std::vector<bool>& use) {
    std::vector<Sighting> part;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (use[i]) {
            part.push_back(all[i]);
        }
    }
    return part;
}

Result<OrbitFit> fitOf(const OrbitCase& given,
                       const std::vector<Sighting>& sightings,
                       const Planets& planets,
                       const CorrectionOptions& options) {
    if (sightings.size() < 3) {
        return fail(
            ErrorId::OrbitTooFewObservations,
            fmt::format("An orbit needs three places on the sky; there are {} that can be used.",
                        sightings.size()),
            given.body);
    }
    if (given.known) {
        // A known orbit that is too far off to start from is no reason to give up.
        if (auto improved = improveOrbit(*given.known, sightings, planets, options)) {
            return improved;
        }
    }
    return determineOrbit(sightings, planets, given.body, options);
}

/// Residuals of all sightings; `used` where they were part of the fit and stayed in it.
Result<std::vector<Residual>> residualsOfAll(const OrbitFit& fit,
                                             const std::vector<Sighting>& all,
                                             const std::vector<bool>& use,
                                             const Planets& planets) {
    auto residuals = residualsOf(fit.orbit.state,
                                 fit.orbit.epoch,
                                 all,
                                 Forces(planets, fit.elements.name, fit.elements.outgassing));
    if (!residuals) {
        return residuals;
    }
    std::size_t next = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (use[i]) {
            (*residuals)[i].used = fit.orbit.residuals[next++].used;
        }
    }
    return residuals;
}

} // namespace

Result<OrbitJudgement> judgeOrbit(const OrbitCase& given,
                                  const Planets& planets,
                                  const SiteCodes& sites,
                                  const EarthTurn& turn,
                                  const CorrectionOptions& options) {
    OrbitJudgement judgement;
    SightingList list = makeSightings(given.observations, planets, sites, turn);
    judgement.leftOut = std::move(list.leftOut);
    judgement.sightings = std::move(list.sightings);
    const auto& all = judgement.sightings;
    std::vector<bool> use(all.size());
    std::vector<bool> useOld(all.size());
    for (std::size_t i = 0; i < all.size(); ++i) {
        const std::size_t source = all[i].source;
        use[i] = given.switchedOff.empty() || !given.switchedOff[source];
        useOld[i] = use[i] && source < given.old;
    }
    const auto sightings = chosen(all, use);
    auto fit = fitOf(given, sightings, planets, options);
    if (!fit || fit->weakness > kWeakOrbit) {
        auto cloud = rangeSystematically(sightings);
        const bool isShort = sightings.size() >= 2 &&
                             sightings.back().observer.utc.secondsSince(
                                 sightings.front().observer.utc) <= kCloudDays * kSecondsPerDay;
        if (cloud && (fit || isShort)) {
            judgement.cloud = std::move(*cloud);
        }
    }
    if (!fit) {
        if (!judgement.cloud || sightings.size() < 3) {
            return fail(fit.error());
        }
        const StateVector& likeliest = judgement.cloud->cells.front().state;
        auto residuals = residualsOf(
            likeliest, judgement.cloud->epoch, all, Forces(planets, given.body, std::nullopt));
        if (residuals) {
            judgement.residuals = std::move(*residuals);
            for (std::size_t i = 0; i < all.size(); ++i) {
                judgement.residuals[i].used = use[i];
            }
        }
        return judgement;
    }
    auto residuals = residualsOfAll(*fit, all, use, planets);
    if (!residuals) {
        return fail(residuals.error());
    }
    judgement.residuals = std::move(*residuals);
    judgement.fit = std::move(*fit);
    if (given.old < given.observations.size()) {
        if (auto without = fitOf(given, chosen(all, useOld), planets, options)) {
            auto against = residualsOfAll(*without, all, useOld, planets);
            if (!against) {
                return fail(against.error());
            }
            judgement.newAgainstOld = std::move(*against);
            judgement.without = std::move(*without);
        }
    }
    return judgement;
}

} // namespace pathmark::orbit
