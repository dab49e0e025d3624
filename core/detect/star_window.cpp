#include "core/detect/star_window.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

namespace pathmark::detect {
namespace {

constexpr int kMaxRounds = 30;
constexpr double kMaxShift = 2.0;

} // namespace

StarWindow::StarWindow(int half)
    : half_(half), stride_((2 * half + 1 + kLanes - 1) / kLanes * kLanes),
      data_(static_cast<std::size_t>((2 * half + 1) * stride_)), mask_(data_.size()) {}

void StarWindow::take(const frame::Image& image,
                      const Background& sky,
                      int cx,
                      int cy,
                      std::optional<double> saturation) {
    std::fill(mask_.begin(), mask_.end(), 0.0F);
    std::fill(data_.begin(), data_.end(), 0.0F);
    used_ = 0;
    const auto ceiling = static_cast<float>(saturation.value_or(1e30));
    noise_ = std::max(1e-6F, sky.noise(cx, cy));
    // Over a window the sky is a plane.
    const float level = sky.level(cx, cy);
    const float reach = static_cast<float>(std::max(1, half_));
    const float slopeX = 0.5F * (sky.level(cx + half_, cy) - sky.level(cx - half_, cy)) / reach;
    const float slopeY = 0.5F * (sky.level(cx, cy + half_) - sky.level(cx, cy - half_)) / reach;
    for (int dy = -half_; dy <= half_; ++dy) {
        if (cy + dy < 0 || cy + dy >= image.height()) {
            continue;
        }
        const auto row = image.row(cy + dy);
        for (int dx = std::max(-half_, -cx); dx <= std::min(half_, image.width() - 1 - cx); ++dx) {
            const float v = row[static_cast<std::size_t>(cx + dx)];
            if (v < ceiling) { // false for NaN
                const std::size_t at = index(dx, dy);
                data_[at] =
                    v - level - slopeX * static_cast<float>(dx) - slopeY * static_cast<float>(dy);
                mask_[at] = 1.0F;
                ++used_;
            }
        }
    }
}

std::optional<StarFit> fitStar(const StarWindow& window,
                               const PointSpreadField& spread,
                               int cx,
                               int cy,
                               double x,
                               double y,
                               SpreadPatch& patch,
                               double settledPixels) {
    const float variance = window.noise() * window.noise();
    StarFit fit;
    fit.x = x;
    fit.y = y;
    const auto sums = [&] {
        return sumStar(window.data(),
                       window.mask(),
                       patch.value.data(),
                       patch.slopeX.data(),
                       patch.slopeY.data(),
                       window.count(),
                       static_cast<float>(fit.flux),
                       variance);
    };
    if (window.used() < 9) {
        return std::nullopt;
    }
    Eigen::Matrix3d normal;
    StarSums s;
    bool settled = false;
    for (int round = 0; round < kMaxRounds; ++round) {
        if (!(std::abs(fit.x - cx) <= kMaxShift && std::abs(fit.y - cy) <= kMaxShift)) {
            return std::nullopt;
        }
        spread.patch(fit.x, fit.y, cx, cy, patch);
        if (round == 0) {
            // The flux is linear: known at once for the starting place.
            s = sums();
            if (!(s.vv > 0.0)) {
                return std::nullopt;
            }
            fit.flux = s.rv / s.vv;
            if (!(fit.flux > 0.0)) {
                return std::nullopt;
            }
        }
        s = sums();
        // d model / d place = -flux slope.
        const double f = fit.flux;
        normal << f * f * s.xx, f * f * s.xy, -f * s.xv, f * f * s.xy, f * f * s.yy, -f * s.yv,
            -f * s.xv, -f * s.yv, s.vv;
        if (settled) {
            break;
        }
        const Eigen::Vector3d step =
            normal.ldlt().solve(Eigen::Vector3d(-f * s.rx, -f * s.ry, s.rv));
        const double length = std::hypot(step[0], step[1]);
        // Faint stars overshoot: later steps are shorter.
        const double most = round < 4 ? 0.5 : 0.2;
        const double share = length > most ? most / length : 1.0;
        fit.x = std::clamp(fit.x + share * step[0], cx - kMaxShift, cx + kMaxShift);
        fit.y = std::clamp(fit.y + share * step[1], cy - kMaxShift, cy + kMaxShift);
        fit.flux += share * step[2];
        if (!(fit.flux > 0.0) || !std::isfinite(length)) {
            return std::nullopt;
        }
        settled = length < settledPixels;
    }
    if (!settled || std::hypot(fit.x - x, fit.y - y) > kMaxShift) {
        return std::nullopt;
    }
    const Eigen::Matrix3d covariance = normal.inverse();
    fit.xError = std::sqrt(covariance(0, 0));
    fit.yError = std::sqrt(covariance(1, 1));
    fit.fluxError = std::sqrt(covariance(2, 2));
    fit.chiSquare = s.chi / std::max(1, window.used() - 3);
    return std::isfinite(fit.xError + fit.yError + fit.fluxError) ? std::optional(fit)
                                                                  : std::nullopt;
}

} // namespace pathmark::detect
