#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace pathmark {
namespace {

template <typename Number>
double medianOf(std::span<Number> values) {
    if (values.empty()) {
        return std::numeric_limits<double>::quiet_NaN();
    }
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    if (values.size() % 2 == 1) {
        return static_cast<double>(*middle);
    }
    const auto below = std::max_element(values.begin(), middle);
    return 0.5 * (static_cast<double>(*below) + static_cast<double>(*middle));
}

/// Standard deviation of a unit normal cut at +-c.
double truncatedSigma(double c) {
    const double density = std::exp(-0.5 * c * c) / std::sqrt(2.0 * std::numbers::pi);
    return std::sqrt(1.0 - 2.0 * c * density / std::erf(c / std::numbers::sqrt2));
}

} // namespace

double medianInPlace(std::span<float> values) {
    return medianOf(values);
}

double medianInPlace(std::span<double> values) {
    return medianOf(values);
}

double sampledMedian(std::span<const float> values, std::size_t step) {
    std::vector<float> sample;
    for (std::size_t i = 0; i < values.size(); i += step) {
        if (std::isfinite(values[i])) {
            sample.push_back(values[i]);
        }
    }
    return sample.empty() ? 0.0 : medianInPlace(std::span(sample));
}

RobustMoments clippedMoments(std::span<float> values, double clip) {
    const auto finiteEnd =
        std::partition(values.begin(), values.end(), [](float v) { return std::isfinite(v); });
    std::span<float> kept = values.first(static_cast<std::size_t>(finiteEnd - values.begin()));
    constexpr double nan = std::numeric_limits<double>::quiet_NaN();
    if (kept.empty()) {
        return {nan, nan, 0};
    }
    const double correction = truncatedSigma(clip);
    for (int round = 0; round < 12; ++round) {
        const double median = medianOf(kept);
        double sum = 0.0;
        double squares = 0.0;
        for (const float v : kept) {
            const double d = static_cast<double>(v) - median;
            sum += d;
            squares += d * d;
        }
        const auto n = static_cast<double>(kept.size());
        const double mean = sum / n;
        double sigma = std::sqrt(std::max(0.0, squares / n - mean * mean));
        if (round > 0) {
            sigma /= correction;
        }
        const double limit = clip * sigma;
        const auto end = std::partition(kept.begin(), kept.end(), [&](float v) {
            return std::abs(static_cast<double>(v) - median) <= limit;
        });
        const auto left = static_cast<std::size_t>(end - kept.begin());
        if (left == kept.size() || left < 3) {
            return {median + mean, sigma, static_cast<int>(kept.size())};
        }
        kept = kept.first(left);
    }
    double mean = 0.0;
    for (const float v : kept) {
        mean += static_cast<double>(v);
    }
    mean /= static_cast<double>(kept.size());
    double squares = 0.0;
    for (const float v : kept) {
        squares += (static_cast<double>(v) - mean) * (static_cast<double>(v) - mean);
    }
    return {mean,
            std::sqrt(squares / static_cast<double>(kept.size())) / correction,
            static_cast<int>(kept.size())};
}

RobustMoments medianAndDeviation(std::vector<double> values) {
    const double median = medianOf(std::span(values));
    for (double& v : values) {
        v = std::abs(v - median);
    }
    return {median, 1.4826 * medianOf(std::span(values)), static_cast<int>(values.size())};
}

} // namespace pathmark
