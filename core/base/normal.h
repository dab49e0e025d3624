#pragma once

#include <cmath>

namespace pathmark {

/// The share of a normal distribution below so many standard deviations.
inline double normalShareBelow(double sigmas) {
    return 0.5 * std::erfc(-sigmas / std::sqrt(2.0));
}

/// The quantile of the normal distribution, by bisection of the error function: called a few times only.
inline double normalQuantile(double p) {
    double low = -10.0;
    double high = 10.0;
    for (int i = 0; i < 80; ++i) {
        const double middle = 0.5 * (low + high);
        (normalShareBelow(middle) < p ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

} // namespace pathmark
