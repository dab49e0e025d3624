#pragma once

#include <cstdint>

namespace pathmark::simulate {

/// Random numbers as a hash of a seed and a place: the same whatever the order or the number of threads.
///
/// Source   Steele, Lea & Flood 2014, OOPSLA, "Fast splittable pseudorandom number generators" (the mixer).
class NoiseHash {
  public:
    explicit NoiseHash(std::uint64_t seed) : seed_(mix(seed + 0x9E3779B97F4A7C15ULL)) {}

    /// In (0, 1).
    [[nodiscard]] double uniform(std::uint64_t place, std::uint64_t draw = 0) const {
        const std::uint64_t bits = mix(seed_ ^ mix(place * 4 + draw + 0xD1B54A32D192ED03ULL));
        return (static_cast<double>(bits >> 11U) + 0.5) * 0x1.0p-53;
    }

    /// Zero mean, unit variance.
    [[nodiscard]] double normal(std::uint64_t place, std::uint64_t draw = 0) const;

    /// A Poisson number of that mean: exact below 60, normal with the skewness kept above.
    [[nodiscard]] double poisson(double mean, std::uint64_t place) const;

    /// A generator that shares nothing with this one.
    [[nodiscard]] NoiseHash child(std::uint64_t name) const {
        return NoiseHash(seed_ ^ mix(name + 1));
    }

  private:
    static std::uint64_t mix(std::uint64_t z) {
        z = (z ^ (z >> 30U)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27U)) * 0x94D049BB133111EBULL;
        return z ^ (z >> 31U);
    }

    std::uint64_t seed_;
};

} // namespace pathmark::simulate
