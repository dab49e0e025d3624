#pragma once

#include <array>
#include <optional>
#include <span>

namespace pathmark::solve {

/// By how much brighter than on average a frame takes a star, magnitudes, as a quadratic of its place: what a missing flat or a cloud's
/// edge leaves. The mean over the frame is nought.
struct UnevenResponse {
    /// Of u, v, u^2 - 1/3, u v, v^2 - 1/3; u and v from -1 to 1 over the frame.
    std::array<double, 5> terms{};

    [[nodiscard]] bool isEven() const { return terms == std::array<double, 5>{}; }

    [[nodiscard]] double at(double u, double v) const;

    /// Root mean square over the frame.
    [[nodiscard]] double rms() const;
};

/// A star of known brightness at a place of the frame.
struct ResponsePoint {
    double u = 0.0;
    double v = 0.0;
    double colour = 0.0; ///< from the reference colour
    double zero = 0.0;   ///< magnitude of one electron a second by this star
    double sigma = 0.0;  ///< scatter beyond its own error included
};

/// Fits the response, together with a zero point and, where it is free, a colour term.
///
/// Model    Least squares; each term of the response is nought to 0.3 mag before the stars are seen.
/// Returns  nothing where fewer than 60 stars tell; where they do as well without: its chi-square must be less by 40, with five
///          parameters a chance of less than one in a million; and where it is less than 0.03 mag in the root mean square over the
///          frame: so much the fit of stars that are drawn out towards the edge does by itself, and it does not do it to a coma.
std::optional<UnevenResponse> fitUnevenResponse(std::span<const ResponsePoint> points,
                                                bool freeColour);

} // namespace pathmark::solve
