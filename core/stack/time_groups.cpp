#include "core/stack/time_groups.h"

#include "core/base/robust.h"

#include <algorithm>
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
    while (starts.size() - 1 < wanted) {
        std::size_t longest = 0;
        for (std::size_t i = 1; i + 1 < starts.size(); ++i) {
            if (starts[i + 1] - starts[i] > starts[longest + 1] - starts[longest]) {
                longest = i;
            }
        }
        const std::size_t middle = (starts[longest] + starts[longest + 1] + 1) / 2;
        starts.insert(starts.begin() + static_cast<std::ptrdiff_t>(longest) + 1, middle);
    }
    for (std::size_t i = 0; i + 1 < starts.size(); ++i) {
        std::vector<std::size_t> run;
        for (std::size_t k = starts[i]; k < starts[i + 1]; ++k) {
            run.push_back(k);
        }
        runs.push_back(std::move(run));
    }
    return runs;
}

} // namespace pathmark::stack
