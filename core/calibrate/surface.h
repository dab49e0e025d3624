#pragma once

#include "core/base/result.h"
#include "core/frame/image.h"

#include <array>
#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// A disc that is left out of every background: a comet's coma, a galaxy.
struct ProtectedDisc {
    frame::PixelPos centre;
    double radius = 0.0; ///< pixels
};

/// The background in one box of a frame.
struct SurfaceSample {
    double x = 0.0; ///< centre, pixels
    double y = 0.0;
    double level = 0.0;
    double scatter = 0.0; ///< of its pixels
    bool used = true;     ///< false where a source, a galaxy or a coma was found in it
};

struct SurfaceOptions {
    int degree = 2; ///< of the polynomial, 1 to 6; 0: a smooth spline
    double boxPixels =
        0.0; ///< side of a sample; 0: a fortieth of the frame's longer side, 16 at least
    std::vector<ProtectedDisc> protect; ///< samples that touch one of these are left out
};

/// Samples on a grid over the whole frame: the clipped mean of each box, with sources clipped away. NaN pixels are
/// passed over; a box of which less than a third has values is left out.
std::vector<SurfaceSample> sampleSurface(const frame::Image& image, const SurfaceOptions& options);

/// A smooth surface over a frame.
class Surface {
  public:
    /// One level everywhere.
    static Surface flat(double level);

    [[nodiscard]] double at(double x, double y) const;

    /// The surface of every pixel, for looking at and taking away.
    [[nodiscard]] frame::Image image() const;

    /// Its median over the frame: what stays when the shape is taken away.
    [[nodiscard]] double level() const { return level_; }

    [[nodiscard]] const std::string& words() const { return words_; }

  private:
    friend Result<Surface> fitSurface(std::vector<SurfaceSample>& samples,
                                      int width,
                                      int height,
                                      const SurfaceOptions& options);

    [[nodiscard]] std::vector<double> basis(double t) const; ///< of one axis, t in -1 to 1

    int width_ = 0;
    int height_ = 0;
    int degree_ = 0; ///< 0: spline
    int knots_ = 0;
    std::vector<double> coefficients_; ///< row by row of the tensor
    double level_ = 0.0;
    std::string words_;
};

/// Fits a surface to samples; what stands above it (sources, galaxies, coma) is marked as not used and the fit
/// repeated until nothing more falls out.
///
/// Model    Legendre polynomials of total degree `degree`, or cubic B-splines with a penalty on second
///          differences whose weight comes from generalised cross-validation.
/// Errors   calibrate.no_background  fewer good samples than the surface has freedom
/// Source   Eilers & Marx 1996, Statistical Science 11, 89 (P-splines); Golub, Heath & Wahba 1979,
///          Technometrics 21, 215 (cross-validation).
Result<Surface> fitSurface(std::vector<SurfaceSample>& samples,
                           int width,
                           int height,
                           const SurfaceOptions& options);

/// The samples of a whole series as one: the median of each box, each frame brought to one level first.
///
/// Shapes   Every frame has the same boxes.
std::vector<SurfaceSample> pooledSamples(std::span<const std::vector<SurfaceSample>> frames);

/// Takes a gradient away and leaves its level.
void subtractShape(frame::Image& image, const Surface& surface);

/// Divides by the surface and multiplies by `level`: evens out vignetting where there are no flats.
void levelTo(frame::Image& image, const Surface& surface, double level);

} // namespace pathmark::calibrate
