#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"

#include <span>
#include <vector>

namespace pathmark::stack {

/// The kernel that makes one picture's stars look like those of another, changing linearly over the frame.
///
/// Model    picture(x) = sum k(x, u) model(x - u) + a level of its own about each star. The kernel is a sum of a single pixel and of
///          Hermite functions of two widths, each with coefficients linear in place: smooth, free in form, and few enough for a
///          hundred stars to tell.
/// Source   Alard & Lupton 1998, ApJ 503, 325; Alard 2000, A&AS 144, 363 (a kernel that varies over the frame); Bramich 2008,
///          MNRAS 386, L77 (kernels without a fixed form).
class MatchingKernel {
  public:
    /// A square of both pictures about a star; `model` reaches further by half() on every side.
    struct Stamp {
        frame::PixelPos centre; ///< in the frame, pixels
        frame::Image picture;   ///< its sky taken off; NaN does not count
        frame::Image model;
    };

    /// `fwhm` of the stars and the size of the frame, pixels.
    MatchingKernel(double fwhm, int width, int height);

    /// How far the kernel reaches from its middle, pixels.
    [[nodiscard]] int half() const { return half_; }

    /// Fits the coefficients; what fits no kernel (stars that vary, bodies, particle hits) is left out by itself.
    ///
    /// Shapes   `noise`: sigma of a pixel of sky of the picture.
    /// Returns  False where there are too few stars for any kernel.
    bool fit(std::span<const Stamp> stamps, double noise);

    /// The kernel at a place of the frame, 2 half() + 1 squared, row by row.
    [[nodiscard]] std::vector<float> at(frame::PixelPos place) const;

    /// By what share of a star's light the model misses it, beyond noise.
    [[nodiscard]] double mismatch() const { return mismatch_; }

  private:
    struct Equations;

    [[nodiscard]] std::vector<double> termsAt(frame::PixelPos place) const;
    void add(const Stamp& stamp, double noise, Equations& equations) const;
    [[nodiscard]] double chiSquare(const Stamp& stamp, double noise) const;
    void measureMismatch(std::span<const Stamp> stamps, double noise);
    [[nodiscard]] frame::Image drawn(const Stamp& stamp) const;

    int half_ = 0;
    int width_ = 0;
    int height_ = 0;
    std::vector<std::vector<float>> basis_; ///< each 2 half_ + 1 squared
    std::size_t terms_ = 1;                 ///< of the change over the frame
    std::vector<double> coefficients_;      ///< terms_ for each of the basis
    double mismatch_ = 0.0;
};

} // namespace pathmark::stack
