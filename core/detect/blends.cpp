#include "core/detect/blends.h"

#include "core/base/linear.h"

#include <algorithm>
#include <cmath>

namespace pathmark::detect {

NeighbourGrid::NeighbourGrid(const std::vector<Source>& sources, double cell)
    : sources_(sources), grid_([&] {
          double right = 0.0;
          double top = 0.0;
          for (const Source& s : sources) {
              right = std::max(right, s.x);
              top = std::max(top, s.y);
          }
          return PointGrid<Source>(sources, cell, 0.0, 0.0, right, top);
      }()) {}

std::vector<std::size_t> NeighbourGrid::within(std::size_t self, double radius) const {
    std::vector<std::size_t> found;
    const Source& own = sources_[self];
    grid_.forNear(own.x, own.y, radius, [&](std::size_t other, double square) {
        if (other != self && square < radius * radius) {
            found.push_back(other);
        }
    });
    std::sort(found.begin(), found.end());
    return found;
}

bool NeighbourGrid::anyWithin(double x, double y, double radius) const {
    bool any = false;
    grid_.forNear(
        x, y, radius, [&](std::size_t, double square) { any |= square < radius * radius; });
    return any;
}

void takeOffSource(
    const Source& source, const PointSpreadField& spread, int cx, int cy, StarWindow& window) {
    const int half = window.half();
    // Beyond its table a star has no light.
    const int reach = spread.radius();
    const int sx = static_cast<int>(std::lround(source.x)) - cx;
    const int sy = static_cast<int>(std::lround(source.y)) - cy;
    for (int dy = std::max(-half, sy - reach); dy <= std::min(half, sy + reach); ++dy) {
        for (int dx = std::max(-half, sx - reach); dx <= std::min(half, sx + reach); ++dx) {
            window.data()[window.index(dx, dy)] -= static_cast<float>(
                source.flux *
                spread.sampleAt(source.x, source.y, cx + dx - source.x, cy + dy - source.y).value);
        }
    }
}

std::optional<Source> findCompanion(const Source& source,
                                    const PointSpreadField& spread,
                                    int cx,
                                    int cy,
                                    const StarWindow& window,
                                    double threshold) {
    StarWindow left = window;
    takeOffSource(source, spread, cx, cy, left);
    const double fwhm = spread.middle().fwhm();
    const double reach = std::min(2.0 * fwhm, window.half() - 1.0);
    const double noise2 = static_cast<double>(window.noise()) * static_cast<double>(window.noise());
    const int core = std::max(1, static_cast<int>(std::lround(0.6 * fwhm)));
    std::optional<Source> best;
    for (int y = static_cast<int>(-reach); y <= static_cast<int>(reach); ++y) {
        for (int x = static_cast<int>(-reach); x <= static_cast<int>(reach); ++x) {
            double light = 0.0;
            double weight = 0.0;
            for (int j = -core; j <= core; ++j) {
                for (int i = -core; i <= core; ++i) {
                    if (std::max(std::abs(x + i), std::abs(y + j)) > window.half()) {
                        continue;
                    }
                    const std::size_t at = window.index(x + i, y + j);
                    const double p = spread.middle().at(i, j).value;
                    const auto value = static_cast<double>(window.data()[at]);
                    const double w =
                        static_cast<double>(window.mask()[at]) / (noise2 + std::max(0.0, value));
                    light += w * p * static_cast<double>(left.data()[at]);
                    weight += w * p * p;
                }
            }
            if (!(weight > 0.0)) {
                continue;
            }
            const double snr = light / std::sqrt(weight);
            const double flux = light / weight;
            if (snr > threshold && flux > 0.08 * source.flux && (!best || snr > best->snr)) {
                Source found;
                found.x = cx + x;
                found.y = cy + y;
                found.flux = flux;
                found.snr = snr;
                best = found;
            }
        }
    }
    return best;
}

bool fitTogether(std::vector<Source>& members,
                 const PointSpreadField& spread,
                 int cx,
                 int cy,
                 const StarWindow& window) {
    const auto count = static_cast<Eigen::Index>(3 * members.size());
    std::vector<Source> trial = members;
    const double noise2 = static_cast<double>(window.noise()) * static_cast<double>(window.noise());
    Eigen::MatrixXd normal;
    Eigen::VectorXd gradient;
    Eigen::VectorXd slope(count);
    double chi = 0.0;
    bool settled = false;
    for (int round = 0; round < 40; ++round) {
        normal.setZero(count, count);
        gradient.setZero(count);
        chi = 0.0;
        for (int dy = -window.half(); dy <= window.half(); ++dy) {
            for (int dx = -window.half(); dx <= window.half(); ++dx) {
                const std::size_t at = window.index(dx, dy);
                if (window.mask()[at] == 0.0F) {
                    continue;
                }
                double light = 0.0;
                for (std::size_t k = 0; k < trial.size(); ++k) {
                    const Source& s = trial[k];
                    const auto sample = spread.sampleAt(s.x, s.y, cx + dx - s.x, cy + dy - s.y);
                    const auto first = static_cast<Eigen::Index>(3 * k);
                    slope[first] = -s.flux * sample.slopeX;
                    slope[first + 1] = -s.flux * sample.slopeY;
                    slope[first + 2] = sample.value;
                    light += s.flux * sample.value;
                }
                const double w = 1.0 / (noise2 + std::max(0.0, light));
                const double r = static_cast<double>(window.data()[at]) - light;
                normal.selfadjointView<Eigen::Lower>().rankUpdate(slope, w);
                gradient += w * r * slope;
                chi += w * r * r;
            }
        }
        if (settled) {
            break;
        }
        Eigen::MatrixXd damped = normal.selfadjointView<Eigen::Lower>();
        damped.diagonal() *= 1.0 + 1e-3;
        const Eigen::VectorXd step = solveSymmetric(damped, gradient);
        double longest = 0.0;
        for (std::size_t k = 0; k < trial.size(); ++k) {
            const auto first = static_cast<Eigen::Index>(3 * k);
            longest = std::max(longest, std::hypot(step[first], step[first + 1]));
        }
        if (!std::isfinite(longest)) {
            return false;
        }
        const double share = longest > 0.5 ? 0.5 / longest : 1.0;
        for (std::size_t k = 0; k < trial.size(); ++k) {
            const auto first = static_cast<Eigen::Index>(3 * k);
            trial[k].x += share * step[first];
            trial[k].y += share * step[first + 1];
            trial[k].flux += share * step[first + 2];
            if (!(trial[k].flux > 0.0) ||
                std::hypot(trial[k].x - members[k].x, trial[k].y - members[k].y) > 2.0) {
                return false;
            }
        }
        settled = longest < 1e-3;
    }
    if (!settled) {
        return false;
    }
    const Eigen::MatrixXd full = normal.selfadjointView<Eigen::Lower>();
    const Eigen::MatrixXd covariance = inverseOfSymmetric(full);
    for (std::size_t k = 0; k < trial.size(); ++k) {
        const auto first = static_cast<Eigen::Index>(3 * k);
        trial[k].xError = std::sqrt(covariance(first, first));
        trial[k].yError = std::sqrt(covariance(first + 1, first + 1));
        trial[k].fluxError = std::sqrt(covariance(first + 2, first + 2));
        trial[k].snr = trial[k].flux / trial[k].fluxError;
        trial[k].chiSquare =
            chi / std::max<double>(1.0, window.used() - static_cast<double>(count));
        if (!std::isfinite(trial[k].xError + trial[k].yError + trial[k].snr)) {
            return false;
        }
    }
    members = std::move(trial);
    return true;
}

} // namespace pathmark::detect
