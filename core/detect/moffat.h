#pragma once

#include <optional>

namespace pathmark::detect {

/// An elliptical Moffat profile of unit flux: (beta - 1)/pi sqrt(a c - b^2)
/// (1 + a dx^2 + 2 b dx dy + c dy^2)^-beta.
///
/// Source   Moffat 1969, A&A 3, 455.
struct Moffat {
    double a = 1.0;
    double b = 0.0;
    double c = 1.0;
    double beta = 3.0;

    /// A round profile of a full width at half maximum in pixels.
    static Moffat round(double fwhm, double beta);

    [[nodiscard]] double value(double dx, double dy) const;

    /// Full width at half maximum in pixels, the geometric mean of both axes.
    [[nodiscard]] double fwhm() const;

    /// Pixels from the middle to where the light of a flux falls below a level per pixel, the mean of both axes; 0 where it never is above.
    [[nodiscard]] double lightRadius(double flux, double level) const;

    /// Longer axis over shorter axis.
    [[nodiscard]] double elongation() const;
};

/// A profile that a round one may have become by a straight trail.
struct DrawnOut {
    Moffat core;         ///< round, as wide as the narrower axis
    double trailX = 0.0; ///< pixels from end to end
    double trailY = 0.0;
};

/// The round profile and the trail that together are as wide as an elongated profile, to a few per cent; nothing where its axes differ by
/// less than 3 %.
std::optional<DrawnOut> drawnOut(const Moffat& shape);

/// The same profile by numbers that may take any value: whatever they are, it stays an ellipse that falls off.
struct MoffatForm {
    double logSize = 0.0; ///< of the core radius in pixels, the geometric mean of both axes
    double g1 = 0.0;      ///< shear along the axes, half the logarithm of the axes' ratio
    double g2 = 0.0;      ///< shear along the diagonals
    double logBeta = 0.7; ///< of beta - 1

    [[nodiscard]] Moffat profile() const;
    static MoffatForm of(const Moffat& shape);
};

} // namespace pathmark::detect
