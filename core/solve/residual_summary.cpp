#include "core/solve/residual_summary.h"

#include "core/base/robust.h"

#include <algorithm>
#include <cmath>

namespace pathmark::solve {
namespace {

constexpr std::size_t kFewestInCell = 4;
constexpr std::size_t kFewestInBin = 5;

} // namespace

std::vector<ResidualCell>
residualCells(std::span<const StarResidual> stars, FrameSize size, int across) {
    const double side = static_cast<double>(size.width) / across;
    const int down = std::max(1, static_cast<int>(std::lround(size.height / side)));

    struct Members {
        std::vector<double> dx;
        std::vector<double> dy;
    };

    std::vector<Members> members(static_cast<std::size_t>(across * down));
    for (const StarResidual& star : stars) {
        if (star.status == MatchStatus::Used) {
            const int i = std::clamp(static_cast<int>(star.pixel.x / side), 0, across - 1);
            const int j =
                std::clamp(static_cast<int>(star.pixel.y * down / size.height), 0, down - 1);
            auto& cell = members[static_cast<std::size_t>(j * across + i)];
            cell.dx.push_back(star.dxPixels);
            cell.dy.push_back(star.dyPixels);
        }
    }
    std::vector<ResidualCell> cells;
    for (int j = 0; j < down; ++j) {
        for (int i = 0; i < across; ++i) {
            auto& cell = members[static_cast<std::size_t>(j * across + i)];
            if (cell.dx.size() < kFewestInCell) {
                continue;
            }
            const int count = static_cast<int>(cell.dx.size());
            const RobustMoments x = medianAndDeviation(std::move(cell.dx));
            const RobustMoments y = medianAndDeviation(std::move(cell.dy));
            // A median scatters by sqrt(pi / 2) more than a mean.
            const double sigma = 1.2533 * std::hypot(x.sigma, y.sigma) / std::sqrt(2.0 * count);
            cells.push_back({{(i + 0.5) * side, (j + 0.5) * size.height / down},
                             x.centre,
                             y.centre,
                             sigma,
                             count});
        }
    }
    return cells;
}

std::vector<TrendBin> trendOf(std::vector<TrendPoint> points, int bins) {
    std::erase_if(points, [](const TrendPoint& p) {
        return !std::isfinite(p.at) || !std::isfinite(p.value);
    });
    std::sort(points.begin(), points.end(), [](const TrendPoint& a, const TrendPoint& b) {
        return a.at < b.at;
    });
    const std::size_t count =
        std::min(static_cast<std::size_t>(std::max(bins, 1)), points.size() / kFewestInBin);
    std::vector<TrendBin> trend;
    for (std::size_t k = 0; k < count; ++k) {
        const std::size_t begin = points.size() * k / count;
        const std::size_t end = points.size() * (k + 1) / count;
        std::vector<double> at;
        std::vector<double> values;
        for (std::size_t i = begin; i < end; ++i) {
            at.push_back(points[i].at);
            values.push_back(points[i].value);
        }
        trend.push_back({medianInPlace(at), medianInPlace(values), static_cast<int>(end - begin)});
    }
    return trend;
}

} // namespace pathmark::solve
