#pragma once

#include "core/solve/quad.h"

#include <array>
#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::solve {

/// plane = offset + factor x pixel, the pixel's mirror image first where `flipped`.
struct Similarity {
    Place factor{1.0, 0.0}; ///< scale and turn, plane units per pixel
    Place offset{};
    bool flipped = false;

    [[nodiscard]] Place apply(Place pixel) const {
        return offset + factor * (flipped ? std::conj(pixel) : pixel);
    }

    [[nodiscard]] Place invert(Place plane) const {
        const Place pixel = (plane - offset) / factor;
        return flipped ? std::conj(pixel) : pixel;
    }
};

/// How much more likely the sources are where a solution has stars than anywhere at all, told source by source.
///
/// Model    Under "no solution" a source lies anywhere on the frame with equal chance. Under the solution it is a stray
///          (share d) or lies about one of the n stars with a Gaussian error. The product of the ratios is a martingale
///          under "no solution" as long as each factor rests on earlier sources alone; so is its mean over several d
///          and widths. Then, whatever the order and wherever one stops, a ratio of L or more comes by chance with
///          probability 1/L at most, and with N solutions tried N/L is a bound on false alarms. The similarity
///          follows the pairs found so far.
/// Source   Ville 1939, Etude critique de la notion de collectif (the bound); the mixture is ours.
class PlaceLikelihood {
  public:
    /// `area`: pixels of the frame; `extent`: its diagonal; `starsOnFrame`: how many the solution has there.
    PlaceLikelihood(double area, double extent, double starsOnFrame);

    /// Takes pairs for granted: they shape the similarity and earn nothing.
    void assume(Place pixel, Place plane, bool flipped);

    [[nodiscard]] const Similarity& similarity() const { return similarity_; }

    /// How far from its place a star may be to count for a source at this pixel, in pixels.
    [[nodiscard]] double reach(Place pixel) const;

    /// Tells of a source that has a star within reach (where that star lies in the plane), or none.
    void tell(Place pixel, std::optional<Place> star);

    /// log10 of the ratio.
    [[nodiscard]] double log10() const;

    [[nodiscard]] int matched() const { return matched_; }

    [[nodiscard]] int told() const { return told_; }

  private:
    static constexpr std::array<double, 3> kStrays{0.25, 0.6, 0.9};
    static constexpr std::size_t kWidths = 3;

    /// Of a star's place at a pixel, along an axis in pixels, by each width.
    [[nodiscard]] std::array<double, kWidths> variances(Place pixel) const;
    void keepInRange();
    void add(Place pixel, Place plane);

    double area_;
    double extent_;
    double stars_;
    Similarity similarity_;
    double count_ = 0.0;
    Place sumPixel_{};
    Place sumPlane_{};
    Place sumProduct_{};
    double sumSquare_ = 0.0;
    std::array<double, kStrays.size() * kWidths>
        ratios_;            ///< width by width, each with every share of strays
    double takenOut_ = 0.0; ///< log10 of what was divided out of them
    int matched_ = 0;
    int told_ = 0;
};

} // namespace pathmark::solve
