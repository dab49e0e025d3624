#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"

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

    /// Mean over the pixel centred at (dx, dy): 3 x 3 Gauss-Legendre points.
    [[nodiscard]] double pixelMean(double dx, double dy) const;

    /// The same with its derivatives by dx, dy, a, b, c and beta.
    struct Slopes {
        double value = 0.0;
        double dx = 0.0;
        double dy = 0.0;
        double a = 0.0;
        double b = 0.0;
        double c = 0.0;
        double beta = 0.0;
    };

    [[nodiscard]] Slopes pixelMeanSlopes(double dx, double dy) const;

    /// Full width at half maximum in pixels, the geometric mean of both axes.
    [[nodiscard]] double fwhm() const;

    /// Longer axis over shorter axis.
    [[nodiscard]] double elongation() const;
};

/// Fits place, flux, local sky and shape of one bright star; `start` gives beta and a first shape.
///
/// Domain   `x`, `y` within a pixel of the star; its light well above `noise` (sigma of a pixel).
/// Errors   measure.fit_failed  too near the edge, too many NaN or no convergence
struct MoffatFit {
    Moffat shape;
    double chiSquare = 0.0; ///< per degree of freedom
};

Result<MoffatFit> fitMoffat(const frame::Image& image,
                            double x,
                            double y,
                            double noise,
                            const Moffat& start,
                            bool freeBeta);

} // namespace pathmark::detect
