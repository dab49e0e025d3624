#include "core/sweep/trail_form.h"

#include <cmath>

namespace pathmark::sweep {
namespace {

constexpr double kFwhmOverSigma = 2.354820045;
constexpr int kNodes = 64;

} // namespace

TrailForm::TrailForm(double fwhm) : fwhm_(fwhm), sigma_(fwhm / kFwhmOverSigma) {}

double TrailForm::beside(double distance) const {
    return std::exp(-distance * distance / (4.0 * sigma_ * sigma_));
}

/// Pairs of points of a trail are apart by u with the density (1 - |u| / L) / L.
double TrailForm::information(double trail) const {
    if (trail < 1e-3 * sigma_) {
        return 1.0;
    }
    double sum = 0.0;
    for (int k = 0; k < kNodes; ++k) {
        const double share = (k + 0.5) / kNodes;
        sum += 2.0 * (1.0 - share) * beside(share * trail);
    }
    return sum / kNodes;
}

double TrailForm::along(double trail, double shift) const {
    if (trail < 1e-3 * sigma_) {
        return beside(shift);
    }
    double sum = 0.0;
    for (int k = 0; k < kNodes; ++k) {
        const double share = (k + 0.5) / kNodes;
        sum += (1.0 - share) * (beside(share * trail - shift) + beside(share * trail + shift));
    }
    return sum / kNodes / information(trail);
}

double TrailForm::step(std::span<const double> times, double trail, double loss) const {
    double low = 0.0;
    double high = 4.0 * (fwhm_ + trail);
    for (int round = 0; round < 40; ++round) {
        const double step = 0.5 * (low + high);
        double lost = 0.0;
        for (const double t : times) {
            lost += 1.0 - along(trail, 0.5 * step * t);
        }
        (lost < loss * static_cast<double>(times.size()) ? low : high) = step;
    }
    return low;
}

} // namespace pathmark::sweep
