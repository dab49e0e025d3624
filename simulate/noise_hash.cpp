#include "simulate/noise_hash.h"

#include <cmath>
#include <numbers>

namespace pathmark::simulate {

double NoiseHash::normal(std::uint64_t place, std::uint64_t draw) const {
    // Box-Muller; the second of the pair is not used, so that a place gives one number.
    const double u = uniform(place, draw);
    const double v = uniform(place ^ 0xA5A5A5A5A5A5A5A5ULL, draw + 1);
    return std::sqrt(-2.0 * std::log(u)) * std::cos(2.0 * std::numbers::pi * v);
}

double NoiseHash::poisson(double mean, std::uint64_t place) const {
    if (mean <= 0.0) {
        return 0.0;
    }
    if (mean < 60.0) {
        double u = uniform(place, 2);
        double term = std::exp(-mean);
        double k = 0.0;
        while (u > term && k < 400.0) {
            u -= term;
            k += 1.0;
            term *= mean / k;
        }
        return k;
    }
    const double z = normal(place, 2);
    // Cornish-Fisher: the third moment of a Poisson number too.
    return std::max(0.0, std::round(mean + std::sqrt(mean) * z + (z * z - 1.0) / 6.0));
}

} // namespace pathmark::simulate
