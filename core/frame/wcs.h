#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/frame/fits_header.h"
#include "core/frame/image.h"

#include <array>
#include <optional>
#include <vector>

namespace pathmark::frame {

/// A polynomial in two variables without constant and linear terms, as SIP stores it.
class SipPolynomial {
  public:
    SipPolynomial() = default;
    explicit SipPolynomial(int order);

    [[nodiscard]] int order() const { return order_; }

    /// Coefficient of u^p v^q.
    [[nodiscard]] double coefficient(int p, int q) const { return terms_[index(p, q)]; }

    void setCoefficient(int p, int q, double value) { terms_[index(p, q)] = value; }

    [[nodiscard]] double value(double u, double v) const;

  private:
    [[nodiscard]] std::size_t index(int p, int q) const {
        return static_cast<std::size_t>(p) * static_cast<std::size_t>(order_ + 1) +
               static_cast<std::size_t>(q);
    }

    int order_ = 0;
    std::vector<double> terms_;
};

/// The way between pixels and the sky: gnomonic projection with SIP distortion.
///
/// Model    (u, v) = pixel - reference; plane = CD (u + A(u, v), v + B(u, v)); sky by TAN about the
///          reference direction.
/// Frame    ICRS. Pixels count from 0 (see PixelPos).
/// Source   Calabretta & Greisen 2002, A&A 395, 1077; Shupe et al. 2005, ASP Conf. 347, 491.
struct Wcs {
    SkyPos referenceSky;
    PixelPos referencePixel;
    std::array<double, 4> cd{1.0, 0.0, 0.0, 1.0}; ///< radians per pixel: CD1_1 CD1_2 CD2_1 CD2_2
    SipPolynomial a, b;                           ///< pixel to plane
    SipPolynomial ap, bp; ///< plane to pixel, approximate (files carry it; toPixel does not use it)

    [[nodiscard]] SkyPos toSky(PixelPos pixel) const;

    /// Accuracy  1e-7 pixel by Newton's method. nullopt where the sky is behind the plane.
    [[nodiscard]] std::optional<PixelPos> toPixel(const SkyPos& sky) const;

    /// Pixel position of a place in the plane about referenceSky.
    [[nodiscard]] PixelPos planeToPixel(PlanePos plane) const;
    [[nodiscard]] PlanePos pixelToPlane(PixelPos pixel) const;

    /// Arcseconds per pixel at the reference, the geometric mean of both axes.
    [[nodiscard]] double scaleArcsec() const;

    /// Position angle of the +y axis, east of north.
    [[nodiscard]] Angle rotation() const;

    /// True where the picture is a mirror image of the sky as seen (east to the right, north up).
    [[nodiscard]] bool mirrored() const;
};

/// Takes every WCS keyword out of a header.
void removeWcs(Header& header);

/// Replaces any WCS keywords of a header by this one (CTYPE RA---TAN-SIP where distorted).
void writeWcs(const Wcs& wcs, Header& header);

/// Reads a solution: TAN or TAN-SIP with CD, PC + CDELT, or CDELT + CROTA2 as it stands, any other projection and
/// distortion as readForeignWcs does.
///
/// Shapes   `width`, `height`: of the frame in pixels, which other projections need; 0: guessed from the reference.
/// Errors   frame.bad_wcs  absent, incomplete, or of a kind that nobody reads
Result<Wcs> readWcs(const Header& header, int width = 0, int height = 0);

} // namespace pathmark::frame
