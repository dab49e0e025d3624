#pragma once

#include <array>
#include <complex>
#include <cstdint>
#include <optional>

namespace pathmark::solve {

/// A place in pixels or in a tangent plane.
using Place = std::complex<double>;

/// Four points by what stays the same when they are moved, turned, scaled or mirrored.
///
/// Model    A and B, the ends, are put at 0 and 1 of the complex plane; where C and D then lie, both inside the circle
///          over AB, is the code. Ends, mirror image and C, D are exchanged until C comes first along AB, C and D
///          lie nearer to A together, and above the line.
/// Source   Geometric hashing with a basis pair: Lamdan & Wolfson 1988, 2nd Int. Conf. Computer Vision, 238; the order
///          of the points is ours.
struct QuadCode {
    std::array<float, 4> value{};        ///< Re C, Im C, Re D, Im D
    std::array<std::uint8_t, 4> order{}; ///< which of the points given is A, B, C and D
    bool flipped = false;                ///< true where the mirror image was taken
};

/// The code of points a, b (the ends), c and d; nullopt where c or d lies outside the circle over the ends by more than
/// `slack` of its diameter.
std::optional<QuadCode> encode(Place a, Place b, Place c, Place d, double slack);

/// The codes that noise of `tolerance` in each number could have turned this one into: with ends, mirror image or
/// inner points exchanged. At most 8, the given one first.
struct QuadVariants {
    std::array<QuadCode, 8> code;
    int count = 0;
};

QuadVariants variantsOf(const QuadCode& code, double tolerance);

} // namespace pathmark::solve
