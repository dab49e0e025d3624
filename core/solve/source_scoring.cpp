#include "core/solve/source_scoring.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

namespace pathmark::solve {
namespace {

constexpr double kScoredMargin = 10.0; // pixels around the frame in which stars still count

} // namespace

void scoreSources(PlaceLikelihood& likelihood,
                  std::span<const Place> sources,
                  std::span<const Place> stars,
                  std::span<const Place> assumed) {
    std::vector<bool> taken(stars.size(), false);
    const double scale = std::abs(likelihood.similarity().factor);
    const auto nearest = [&](Place predicted, double reach) {
        std::optional<std::size_t> best;
        double least = reach * reach;
        for (std::size_t i = 0; i < stars.size(); ++i) {
            const double square = std::norm(stars[i] - predicted);
            if (square < least && !taken[i]) {
                least = square;
                best = i;
            }
        }
        return best;
    };
    for (const Place& pixel : assumed) {
        if (const auto star = nearest(likelihood.similarity().apply(pixel), 3.0 * scale)) {
            taken[*star] = true;
        }
    }
    for (const Place& source : sources) {
        if (std::find(assumed.begin(), assumed.end(), source) != assumed.end()) {
            continue;
        }
        const auto star =
            nearest(likelihood.similarity().apply(source), likelihood.reach(source) * scale);
        if (star) {
            taken[*star] = true;
        }
        likelihood.tell(source, star ? std::optional(stars[*star]) : std::nullopt);
    }
}

double chanceOfShift(std::span<const Place> sources,
                     std::span<const Place> stars,
                     Place offset,
                     FrameSize size,
                     double possible) {
    std::vector<Place> onFrame;
    for (const Place& star : stars) {
        const Place pixel = star - offset;
        if (std::abs(pixel.real()) < 0.5 * size.width + kScoredMargin &&
            std::abs(pixel.imag()) < 0.5 * size.height + kScoredMargin) {
            onFrame.push_back(star);
        }
    }
    const double diagonal = size.diagonal();
    PlaceLikelihood likelihood(size.width * static_cast<double>(size.height),
                               diagonal,
                               static_cast<double>(onFrame.size()));
    // Scale and turn are taken for granted; only the shift is new.
    const double arm = 0.25 * diagonal;
    const std::array<Place, 4> assumed{
        Place(arm, 0.0), Place(-arm, 0.0), Place(0.0, arm), Place(0.0, -arm)};
    for (const Place& p : assumed) {
        likelihood.assume(p, p + offset, false);
    }
    scoreSources(likelihood, sources, onFrame, assumed);
    return std::log10(possible) - likelihood.log10();
}

} // namespace pathmark::solve
