#include "core/stack/interpolation.h"

#include "core/base/names.h"
#include "core/detect/point_spread.h"

#include <cmath>
#include <numbers>

namespace pathmark::stack {
namespace {

constexpr Names<Kernel, 2> kKernelNames{{{Kernel::Cubic, "cubic"}, {Kernel::Lanczos3, "lanczos3"}}};

double cubic(double t) {
    if (t < 1.0) {
        return (1.5 * t - 2.5) * t * t + 1.0;
    }
    return t < 2.0 ? ((-0.5 * t + 2.5) * t - 4.0) * t + 2.0 : 0.0;
}

double lanczos(double t, double reach) {
    if (t >= reach) {
        return 0.0;
    }
    if (t < 1e-8) {
        return 1.0;
    }
    const double x = std::numbers::pi * t;
    return reach * std::sin(x) * std::sin(x / reach) / (x * x);
}

} // namespace

const char* name(Kernel kernel) {
    return nameIn(kKernelNames, kernel);
}

std::optional<Kernel> kernelNamed(std::string_view name) {
    return valueNamed(kKernelNames, name);
}

double kernelAt(Kernel kernel, double distance) {
    const double t = std::abs(distance);
    return kernel == Kernel::Cubic ? cubic(t) : lanczos(t, 3.0);
}

double pixelNoiseFactor(Kernel kernel) {
    constexpr int phases = 200;
    const int reach = reachOf(kernel);
    double mean = 0.0;
    for (int p = 0; p < phases; ++p) {
        const double t = (p + 0.5) / phases;
        double sum = 0.0;
        double squares = 0.0;
        for (int i = 1 - reach; i <= reach; ++i) {
            const double k = kernelAt(kernel, i - t);
            sum += k;
            squares += k * k;
        }
        mean += squares / (sum * sum) / phases;
    }
    return mean; // of the variance along one axis: of sigma over both
}

double peakFactor(Kernel kernel, const detect::Moffat& star) {
    constexpr int phases = 6;
    const int reach = reachOf(kernel);
    const detect::PointSpread spread(star);
    double sum = 0.0;
    for (int q = 0; q < phases; ++q) {
        for (int p = 0; p < phases; ++p) {
            // The star stands at (0, 0); the pixels about it at whole steps from (-u, -v).
            const double u = (p + 0.5) / phases;
            const double v = (q + 0.5) / phases;
            double value = 0.0;
            double weights = 0.0;
            for (int j = 1 - reach; j <= reach; ++j) {
                for (int i = 1 - reach; i <= reach; ++i) {
                    const double w = kernelAt(kernel, i - u) * kernelAt(kernel, j - v);
                    value += w * spread.at(i - u, j - v).value;
                    weights += w;
                }
            }
            sum += value / weights;
        }
    }
    return sum / (phases * phases) / spread.at(0.0, 0.0).value;
}

} // namespace pathmark::stack
