#include "core/orbit/determine/initial_orbit.h"

#include "core/orbit/determine/two_place_orbit.h"
#include "core/orbit/motion/kepler.h"

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr std::size_t kJudges = 12; ///< sightings that an orbit of the grid is judged by
constexpr int kDistances = 56;
constexpr int kRates = 25;
constexpr double kNearestAu = 0.001;
constexpr double kFarthestAu = 60.0;

/// 2 energy / GM: negative for ellipses.
double twiceEnergy(const StateVector& s) {
    return dot(s.velocity, s.velocity) / kSunGm - 2.0 / norm(s.position);
}

struct Trial {
    double first = 0.0;
    double last = 0.0;
    double chiSquare = 0.0;
};

/// Part of the sightings, evenly in number, first and last among them.
std::vector<Sighting> thinned(std::span<const Sighting> sightings, std::size_t most) {
    if (sightings.size() <= most) {
        return {sightings.begin(), sightings.end()};
    }
    std::vector<Sighting> some;
    for (std::size_t k = 0; k < most; ++k) {
        some.push_back(sightings[k * (sightings.size() - 1) / (most - 1)]);
    }
    return some;
}

std::optional<double> judge(const TwoPlaceOrbit& orbit, double first, double last) {
    const auto state = orbit.through(first, last);
    // Comets a little beyond the parabola are let in; bodies from between the stars come by refinement.
    if (!state || twiceEnergy(*state) > 0.05) {
        return std::nullopt;
    }
    return orbit.chiSquare(*state, first);
}

std::vector<Trial> searchGrid(const TwoPlaceOrbit& orbit) {
    std::vector<std::vector<Trial>> rows;
    for (int i = 0; i < kDistances; ++i) {
        const double share = static_cast<double>(i) / (kDistances - 1);
        const double first = kNearestAu * std::pow(kFarthestAu / kNearestAu, share);
        // Escape speed at the body and the Earth's own speed bound the change of distance.
        const double mostRate = 0.0172 + std::sqrt(2.0 * kSunGm / std::max(0.3, first - 1.0));
        Trial best{first, first, std::numeric_limits<double>::infinity()};
        for (int j = 0; j < kRates; ++j) {
            const double rate = mostRate * (2.0 * j / (kRates - 1.0) - 1.0);
            const double last = std::max(first + rate * orbit.arcDays(), 0.5 * kNearestAu);
            if (const auto chi = judge(orbit, first, last); chi && *chi < best.chiSquare) {
                best = {first, last, *chi};
            }
        }
        if (std::isfinite(best.chiSquare)) {
            rows.push_back({best});
        }
    }
    // Local minima over the distance, the best first.
    std::vector<Trial> minima;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const double own = rows[i][0].chiSquare;
        if ((i == 0 || rows[i - 1][0].chiSquare >= own) &&
            (i + 1 == rows.size() || rows[i + 1][0].chiSquare >= own)) {
            minima.push_back(rows[i][0]);
        }
    }
    std::sort(minima.begin(), minima.end(), [](const Trial& a, const Trial& b) {
        return a.chiSquare < b.chiSquare;
    });
    minima.resize(std::min<std::size_t>(minima.size(), 6));
    return minima;
}

/// Damped least squares over the logarithms of both distances.
Trial refine(const TwoPlaceOrbit& orbit, Trial trial) {
    double damping = 1e-3;
    std::vector<double> r;
    std::vector<double> moved;
    for (int round = 0; round < 25; ++round) {
        const auto state = orbit.through(trial.first, trial.last);
        if (!state) {
            return trial;
        }
        orbit.residuals(*state, trial.first, r);
        constexpr double step = 1e-5;
        double n[2][2] = {{0.0, 0.0}, {0.0, 0.0}};
        double g[2] = {0.0, 0.0};
        std::vector<double> slopes[2];
        for (int k = 0; k < 2; ++k) {
            const double first = trial.first * (k == 0 ? 1.0 + step : 1.0);
            const double last = trial.last * (k == 1 ? 1.0 + step : 1.0);
            const auto aside = orbit.through(first, last);
            if (!aside) {
                return trial;
            }
            orbit.residuals(*aside, first, moved);
            for (std::size_t i = 0; i < r.size(); ++i) {
                slopes[k].push_back((moved[i] - r[i]) / step);
                g[k] -= slopes[k].back() * r[i];
            }
        }
        for (std::size_t i = 0; i < r.size(); ++i) {
            n[0][0] += slopes[0][i] * slopes[0][i];
            n[0][1] += slopes[0][i] * slopes[1][i];
            n[1][1] += slopes[1][i] * slopes[1][i];
        }
        bool better = false;
        for (int attempt = 0; attempt < 8 && !better; ++attempt) {
            const double a = n[0][0] * (1.0 + damping);
            const double d = n[1][1] * (1.0 + damping);
            const double det = a * d - n[0][1] * n[0][1];
            const double x = std::clamp((g[0] * d - g[1] * n[0][1]) / det, -0.7, 0.7);
            const double y = std::clamp((g[1] * a - g[0] * n[0][1]) / det, -0.7, 0.7);
            const Trial next{trial.first * std::exp(x), trial.last * std::exp(y), 0.0};
            const auto nextState = orbit.through(next.first, next.last);
            const double chi = nextState ? orbit.chiSquare(*nextState, next.first)
                                         : std::numeric_limits<double>::infinity();
            if (chi < trial.chiSquare) {
                better = true;
                damping = std::max(1e-9, 0.1 * damping);
                const bool settled = trial.chiSquare - chi < 1e-6 * (1.0 + chi);
                trial = {next.first, next.last, chi};
                if (settled) {
                    return trial;
                }
            } else {
                damping *= 10.0;
            }
        }
        if (!better) {
            return trial;
        }
    }
    return trial;
}

/// The stretch of at most `days` that holds most sightings over most of it.
std::span<const Sighting> bestWindow(std::span<const Sighting> all, double days) {
    std::span<const Sighting> best;
    double bestScore = 0.0;
    std::size_t end = 0;
    for (std::size_t start = 0; start < all.size(); ++start) {
        end = std::max(end, start);
        while (end < all.size() && all[end].observer.tdb.secondsSince(all[start].observer.tdb) <=
                                       days * kSecondsPerDay) {
            ++end;
        }
        const auto window = all.subspan(start, end - start);
        if (window.size() < 3) {
            continue;
        }
        const double span =
            window.back().observer.tdb.secondsSince(window.front().observer.tdb) / kSecondsPerDay;
        const double score =
            span * std::sqrt(std::min<double>(10.0, static_cast<double>(window.size())));
        if (score > bestScore) {
            bestScore = score;
            best = window;
        }
    }
    return best;
}

} // namespace

Result<std::vector<StartOrbit>> findStartOrbits(std::span<const Sighting> sightings) {
    if (sightings.size() < 3) {
        return fail(ErrorId::OrbitTooFewObservations,
                    "An orbit needs three places on the sky at least.");
    }
    std::vector<StartOrbit> starts;
    std::vector<std::pair<const Sighting*, std::size_t>> tried;
    for (const double days : {30.0, 8.0, 90.0, 2.5}) {
        const auto window = bestWindow(sightings, days);
        const std::pair key{window.data(), window.size()};
        if (window.empty() || std::find(tried.begin(), tried.end(), key) != tried.end()) {
            continue;
        }
        tried.push_back(key);
        const auto judges = thinned(window, kJudges);
        const TwoPlaceOrbit orbit(judges);
        for (const Trial& minimum : searchGrid(orbit)) {
            // A short arc lets the refinement run off to what no body of the solar system does.
            Trial trial = refine(orbit, minimum);
            auto state = orbit.through(trial.first, trial.last);
            if (!state || twiceEnergy(*state) > 0.05) {
                trial = minimum;
                state = orbit.through(trial.first, trial.last);
            }
            if (!state) {
                continue;
            }
            StartOrbit start;
            start.state = *state;
            start.epoch = orbit.emission(trial.first);
            start.meanSquare = trial.chiSquare / static_cast<double>(2 * judges.size());
            starts.push_back(start);
        }
    }
    if (starts.empty()) {
        return fail(ErrorId::OrbitNotDetermined,
                    "No orbit about the Sun passes through these places; are they of one body?");
    }
    std::stable_sort(starts.begin(), starts.end(), [](const StartOrbit& a, const StartOrbit& b) {
        return a.meanSquare < b.meanSquare;
    });
    return starts;
}

} // namespace pathmark::orbit
