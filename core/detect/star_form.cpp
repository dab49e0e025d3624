#include "core/detect/star_form.h"

#include <algorithm>
#include <cmath>

namespace pathmark::detect {

StarForm measureForm(const StarWindow& window, double x, double y, double windowFwhm) {
    const double variance = windowFwhm * windowFwhm / (2.3548 * 2.3548);
    const int half =
        std::min(window.half(), static_cast<int>(std::ceil(3.0 * std::sqrt(variance))));
    std::vector<double> acrossX;
    std::vector<double> acrossY;
    for (int i = -half; i <= half; ++i) {
        acrossX.push_back(std::exp(-0.5 * (i - x) * (i - x) / variance));
        acrossY.push_back(std::exp(-0.5 * (i - y) * (i - y) / variance));
    }
    double sum = 0.0;
    double xx = 0.0;
    double yy = 0.0;
    double xy = 0.0;
    for (int j = -half; j <= half; ++j) {
        for (int i = -half; i <= half; ++i) {
            const std::size_t at = window.index(i, j);
            const double weight = acrossX[static_cast<std::size_t>(i + half)] *
                                  acrossY[static_cast<std::size_t>(j + half)] *
                                  static_cast<double>(window.data()[at] * window.mask()[at]);
            const double dx = i - x;
            const double dy = j - y;
            sum += weight;
            xx += weight * dx * dx;
            yy += weight * dy * dy;
            xy += weight * dx * dy;
        }
    }
    if (!(sum > 0.0)) {
        return {windowFwhm, 1.0};
    }
    const double mean = 0.5 * (xx + yy) / sum;
    const double difference = std::hypot(0.5 * (xx - yy), xy) / sum;
    // A Gaussian under a Gaussian window: 1/observed = 1/true + 1/window.
    const auto widen = [&](double observed) {
        const double inverse = 1.0 / std::max(observed, 1e-3) - 1.0 / variance;
        return inverse > 1e-3 ? 1.0 / inverse : 1e3;
    };
    const double major = widen(mean + difference);
    const double minor = widen(mean - difference);
    return {2.3548 * std::pow(major * minor, 0.25), std::sqrt(major / std::max(minor, 1e-6))};
}

} // namespace pathmark::detect
