// Orbits of made-up bodies from made-up observations: how many are found, how honest their uncertainty is, how long
// it takes. Minutes for 500 bodies; the smoke run is of a few.
#include "bench/support/shipped_kernel.h"
#include "core/base/parallel.h"
#include "core/orbit/determine/determine.h"
#include "core/orbit/motion/trajectory.h"
#include "tests/support/observed_bodies.h"

#include <CLI/CLI.hpp>
#include <Eigen/Dense>
#include <fmt/format.h>

#include <chrono>
#include <iostream>

namespace {

using namespace pathmark;

struct Outcome {
    bool found = false;      ///< a fit as good as the truth
    double distance2 = -1.0; ///< of the truth from the fit, by the covariance; 6 dimensions
    double chiRise = -1.0;   ///< chi-square of the truth over that of the fit
    double trueChi = 0.0;    ///< of the truth, by degree of freedom
    double startSeconds = 0.0;
    double seconds = 0.0;
    std::string why;
};

Outcome tryOne(const test_support::ObservedBody& body, const orbit::Planets& planets) {
    using Clock = std::chrono::steady_clock;
    Outcome outcome;
    const auto list = orbit::makeSightings(body.observations, planets, test_support::drawnSites());
    const auto begin = Clock::now();
    const auto starts = orbit::findStartOrbits(list.sightings);
    outcome.startSeconds = std::chrono::duration<double>(Clock::now() - begin).count();
    const auto fit = orbit::determineOrbit(list.sightings, planets, "X", {.reject = false});
    outcome.seconds = std::chrono::duration<double>(Clock::now() - begin).count();
    if (!fit) {
        outcome.why = fit.error().detail;
        return outcome;
    }
    const orbit::Forces forces(planets, "", std::nullopt);
    const auto truth =
        orbit::Trajectory::make(body.state, body.epoch, forces, fit->orbit.epoch, fit->orbit.epoch);
    const auto trueResiduals = orbit::residualsOf(body.state, body.epoch, list.sightings, forces);
    if (!truth || !trueResiduals) {
        outcome.why = "truth";
        return outcome;
    }
    double trueChi = 0.0;
    for (const auto& r : *trueResiduals) {
        trueChi += r.chiSquare;
    }
    outcome.trueChi = trueChi / (2.0 * static_cast<double>(list.sightings.size()));
    const auto there = truth->barycentric(fit->orbit.epoch);
    const auto sun = planets.sun(fit->orbit.epoch);
    Eigen::Matrix<double, 6, 1> off;
    for (int i = 0; i < 3; ++i) {
        const auto k = static_cast<std::size_t>(i);
        off[i] = there.position[k] - sun->position[k] - fit->orbit.state.position[k];
        off[i + 3] = there.velocity[k] - sun->velocity[k] - fit->orbit.state.velocity[k];
    }
    Eigen::Matrix<double, 6, 6> covariance;
    Eigen::Matrix<double, 6, 1> scale;
    for (int i = 0; i < 6; ++i) {
        for (int j = 0; j < 6; ++j) {
            covariance(i, j) = fit->orbit.covariance.matrix[static_cast<std::size_t>(9 * i + j)];
        }
        scale[i] = 1.0 / std::sqrt(covariance(i, i));
    }
    const Eigen::Matrix<double, 6, 6> unit = scale.asDiagonal() * covariance * scale.asDiagonal();
    const Eigen::Matrix<double, 6, 1> scaled = scale.cwiseProduct(off);
    outcome.distance2 = scaled.dot(unit.ldlt().solve(scaled));
    outcome.chiRise = trueChi - fit->orbit.chiSquare;
    // The minimum lies below the truth; a fit above it is another valley.
    outcome.found = outcome.chiRise > -0.1;
    outcome.why =
        outcome.found ? "" : fmt::format("chi-square {:.1f} above the truth's", -outcome.chiRise);
    return outcome;
}

} // namespace

int main(int argc, char** argv) {
    CLI::App app("Orbits from scratch on made-up bodies");
    int bodies = 500;
    unsigned seed = 1;
    bool list = false;
    test_support::BodyDraw draw;
    app.add_option("--bodies", bodies);
    app.add_option("--seed", seed);
    app.add_option("--least-arc", draw.leastArcDays, "Days");
    app.add_option("--most-arc", draw.mostArcDays, "Days");
    app.add_flag("--list", list, "One line for each body that was not found");
    CLI11_PARSE(app, argc, argv);
    const orbit::Planets& planets = bench::planets();
    std::vector<test_support::ObservedBody> drawn(static_cast<std::size_t>(bodies));
    std::vector<Outcome> outcomes(drawn.size());
    parallelFor(drawn.size(), [&](std::size_t i) {
        std::mt19937 random(seed * 100003 + static_cast<unsigned>(i));
        drawn[i] = test_support::drawBody(random, planets, draw);
        outcomes[i] = tryOne(drawn[i], planets);
    });
    int overDay = 0;
    int overDayFound = 0;
    int overTen = 0;
    int insideEllipsoid = 0;
    int insideRegion = 0;
    int found = 0;
    double longestStart = 0.0;
    double longest = 0.0;
    double rises = 0.0;
    double trueChis = 0.0;
    int averaged = 0;
    constexpr double ninetyFive = 12.592; // chi-square of 6 degrees of freedom
    for (std::size_t i = 0; i < drawn.size(); ++i) {
        const Outcome& o = outcomes[i];
        found += o.found ? 1 : 0;
        longestStart = std::max(longestStart, o.startSeconds);
        longest = std::max(longest, o.seconds);
        if (drawn[i].arcDays > 1.0) {
            ++overDay;
            overDayFound += o.found ? 1 : 0;
        }
        if (drawn[i].arcDays > 10.0) {
            ++overTen;
            insideEllipsoid += o.found && o.distance2 < ninetyFive ? 1 : 0;
            insideRegion += o.found && o.chiRise < ninetyFive ? 1 : 0;
            if (o.found) {
                rises += o.chiRise;
                trueChis += o.trueChi;
                ++averaged;
            }
        }
        if (list && (!o.found || (drawn[i].arcDays > 10.0 && o.distance2 > ninetyFive))) {
            std::cout << fmt::format(
                "{} {} arc {:.2f} d, {} places, noise {:.2f}\": {} (d2 {:.1f}, rise {:.1f})\n",
                i,
                drawn[i].kind,
                drawn[i].arcDays,
                drawn[i].observations.size(),
                drawn[i].noiseArcsec,
                o.why,
                o.distance2,
                o.chiRise);
        }
    }
    const auto share = [](int part, int whole) { return 100.0 * part / std::max(1, whole); };
    std::cout
        << fmt::format("bodies                              {} (seed {})\n", bodies, seed)
        << fmt::format("found, all arcs                     {:.1f} %\n", share(found, bodies))
        << fmt::format("found, arcs over a day              {:.1f} % of {} (aim 99)\n",
                       share(overDayFound, overDay),
                       overDay)
        << fmt::format("truth inside 95 % ellipsoid, > 10 d {:.1f} % of {} (aim 93 to 97)\n",
                       share(insideEllipsoid, overTen),
                       overTen)
        << fmt::format("truth inside 95 % region, > 10 d    {:.1f} %\n",
                       share(insideRegion, overTen))
        << fmt::format("mean chi-square of the truth over the fit, > 10 d {:.2f} (honest: 6)\n",
                       rises / std::max(1, averaged))
        << fmt::format("mean chi-square of the truth by degree of freedom {:.3f} (honest: 1)\n",
                       trueChis / std::max(1, averaged))
        << fmt::format("longest initial orbit               {:.2f} s (aim 1)\n", longestStart)
        << fmt::format("longest determination               {:.2f} s\n", longest);
    return 0;
}
