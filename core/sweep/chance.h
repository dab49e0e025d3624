#pragma once

#include <span>

namespace pathmark::sweep {

/// How many candidates chance alone makes in a whole sweep, by their S/N.
///
/// Model    E(> s) = A (s / s0)^(n - 1) exp(-b (s^2 - s0^2) / 2): the peaks of a Gaussian field in n dimensions, four of a sweep (place and
///          motion), one to three along a family of orbits, where b = 1; what is not Gaussian in the frames makes b smaller. A and b from peaks where there is nothing but chance: b from their
///          heights (most likely value, held to [0.3, 1.05]), A from their number.
/// Source   Adler 1981, The Geometry of Random Fields, sec. 6.9 (peaks above a high level).
class Chance {
  public:
    static constexpr int kSweepDimensions = 4;

    /// `peaks`: S/N of all peaks above `from` in `share` times a sweep.
    Chance(std::span<const double> peaks,
           double from,
           double share,
           int dimensions = kSweepDimensions);

    /// Before anything was measured: a Gaussian field with so many independent sums.
    static Chance gaussian(double sums, int dimensions = kSweepDimensions);

    /// Candidates of at least this S/N that chance makes, log10.
    [[nodiscard]] double log10Expected(double snr) const;

    /// The S/N that `expected` of them reach.
    [[nodiscard]] double threshold(double expected) const;

    [[nodiscard]] double slope() const { return slope_; }

    [[nodiscard]] std::size_t peaks() const { return peaks_; }

  private:
    Chance() = default;

    double power_ = kSweepDimensions - 1.0;
    double from_ = 5.0;
    double amplitude_ = 1.0; ///< E(> from)
    double slope_ = 1.0;
    std::size_t peaks_ = 0;
};

} // namespace pathmark::sweep
