#include "core/solve/common_shift.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::solve {
namespace {

constexpr double kBin = 6.0;
constexpr std::size_t kBrightPlaces = 60;
constexpr int kFewestVotes = 5;

/// Calls body(star - source) for all bright pairs.
template <typename Body>
void forPairs(std::span<const Place> sources, std::span<const Place> stars, const Body& body) {
    for (const Place& source : sources.first(std::min(kBrightPlaces, sources.size()))) {
        for (const Place& star : stars.first(std::min(3 * kBrightPlaces, stars.size()))) {
            body(star - source);
        }
    }
}

/// The bins of the shifts, a border around them left empty.
struct Bins {
    int side;
    std::vector<int> votes;

    explicit Bins(double most)
        : side(2 * static_cast<int>(most / kBin) + 3),
          votes(static_cast<std::size_t>(side * side), 0) {}

    void vote(Place d) {
        const int i = static_cast<int>(std::lround(d.real() / kBin)) + side / 2;
        const int j = static_cast<int>(std::lround(d.imag() / kBin)) + side / 2;
        if (i >= 1 && j >= 1 && i < side - 1 && j < side - 1) {
            ++votes[static_cast<std::size_t>(j * side + i)];
        }
    }

    /// Votes of a bin and its eight neighbours.
    [[nodiscard]] int around(int i, int j) const {
        int sum = 0;
        for (int k = 0; k < 9; ++k) {
            sum += votes[static_cast<std::size_t>((j + k / 3 - 1) * side + i + k % 3 - 1)];
        }
        return sum;
    }
};

double middleOf(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

} // namespace

std::optional<CommonShift>
commonShift(std::span<const Place> sources, std::span<const Place> stars, double most) {
    Bins bins(most);
    forPairs(sources, stars, [&](Place d) { bins.vote(d); });
    int votes = 0;
    Place centre;
    const int middle = bins.side / 2;
    for (int j = 1; j < bins.side - 1; ++j) {
        for (int i = 1; i < bins.side - 1; ++i) {
            if (const int sum = bins.around(i, j); sum > votes) {
                votes = sum;
                centre = Place((i - middle) * kBin, (j - middle) * kBin);
            }
        }
    }
    if (votes < kFewestVotes) {
        return std::nullopt;
    }
    // The middle one along each axis: chance pairs in the bin do not pull it.
    std::vector<double> x;
    std::vector<double> y;
    forPairs(sources, stars, [&](Place d) {
        if (std::abs(d.real() - centre.real()) < 1.5 * kBin &&
            std::abs(d.imag() - centre.imag()) < 1.5 * kBin) {
            x.push_back(d.real());
            y.push_back(d.imag());
        }
    });
    return CommonShift{{middleOf(std::move(x)), middleOf(std::move(y))},
                       static_cast<double>(bins.votes.size())};
}

} // namespace pathmark::solve
