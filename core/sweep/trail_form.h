#pragma once

#include <span>

namespace pathmark::sweep {

/// How a matched filter for a star answers to one that lies beside it or is drawn out; lengths in pixels of the field.
///
/// Model    The point-spread function as a Gaussian of the same width at half maximum: its correlation with itself falls as
///          exp(-d^2 / 4 sigma^2).
class TrailForm {
  public:
    explicit TrailForm(double fwhm);

    [[nodiscard]] double fwhm() const { return fwhm_; }

    /// Of the answer to a star, what is left at a distance.
    [[nodiscard]] double beside(double distance) const;

    /// Information of a trail over that of a star of the same light: the answer's mean over all pairs of points of the trail.
    [[nodiscard]] double information(double trail) const;

    /// Of the answer to a trail under a filter of the same trail, what is left where it is shifted along itself.
    [[nodiscard]] double along(double trail, double shift) const;

    /// The step between motions at which half a step along the trail loses `loss` of the signal, the mean over frames.
    ///
    /// Shapes   `times`: of the frames, from -1 to 1; the step is that of what moves while time goes by 1.
    [[nodiscard]] double step(std::span<const double> times, double trail, double loss) const;

  private:
    double fwhm_;
    double sigma_;
};

} // namespace pathmark::sweep
