#include "core/stack/time_groups.h"

#include "core/base/robust.h"

#include <algorithm>
#include <numeric>
#include <utility>

namespace pathmark::stack {
namespace {

/// Where runs begin, after the longest pauses have been cut.
std::vector<std::size_t> cutAtPauses(std::span<const Utc> times, std::size_t count) {
    std::vector<std::pair<double, std::size_t>> steps;
    std::vector<double> lengths;
    for (std::size_t i = 1; i < times.size(); ++i) {
        steps.emplace_back(times[i].secondsSince(times[i - 1]), i);
        lengths.push_back(steps.back().first);
    }
    std::vector<std::size_t> starts{0};
    if (lengths.empty()) {
        return starts;
    }
    const double usual = medianInPlace(std::span(lengths));
    std::stable_sort(
        steps.begin(), steps.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    for (const auto& [length, index] : steps) {
        if (starts.size() >= count || length <= 3.0 * usual) {
            break;
        }
        starts.push_back(index);
    }
    std::sort(starts.begin(), starts.end());
    return starts;
}

/// In how many pieces each run is cut: the next cut always goes to the run whose pieces hold the most frames.
std::vector<std::size_t> piecesOf(const std::vector<std::size_t>& starts, std::size_t wanted) {
    std::vector<std::size_t> pieces(starts.size() - 1, 1);
    for (std::size_t made = pieces.size(); made < wanted; ++made) {
        const auto framesEach = [&](std::size_t i) {
            return static_cast<double>(starts[i + 1] - starts[i]) / static_cast<double>(pieces[i]);
        };
        std::size_t most = 0;
        for (std::size_t i = 1; i < pieces.size(); ++i) {
            most = framesEach(i) > framesEach(most) ? i : most;
        }
        ++pieces[most];
    }
    return pieces;
}

} // namespace

std::vector<std::vector<std::size_t>> splitInTime(std::span<const Utc> times, int count) {
    std::vector<std::vector<std::size_t>> runs;
    if (times.empty()) {
        return runs;
    }
    const std::size_t wanted =
        std::clamp<std::size_t>(static_cast<std::size_t>(std::max(1, count)), 1, times.size());
    std::vector<std::size_t> starts = cutAtPauses(times, wanted);
    starts.push_back(times.size());
    const auto pieces = piecesOf(starts, wanted);
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        const std::size_t frames = starts[i + 1] - starts[i];
        for (std::size_t piece = 0; piece < pieces[i]; ++piece) {
            // Whole numbers: pieces of one run differ by a frame at most.
            const std::size_t first = starts[i] + frames * piece / pieces[i];
            const std::size_t end = starts[i] + frames * (piece + 1) / pieces[i];
            std::vector<std::size_t> run(end - first);
            std::iota(run.begin(), run.end(), first);
            runs.push_back(std::move(run));
        }
    }
    return runs;
}

} // namespace pathmark::stack
