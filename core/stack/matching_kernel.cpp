#include "core/stack/matching_kernel.h"

#include "core/base/linear.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/stack/convolution.h"

#include <algorithm>
#include <cmath>

namespace pathmark::stack {
namespace {

constexpr std::size_t kLeastStamps = 3;
constexpr std::size_t kSlopeStamps = 12; ///< before the kernel may change over the frame
constexpr double kBright = 20.0;         ///< sigma of a pixel by which the mismatch is measured

/// Hermite functions of one width, of degrees that add up to `degree` at most.
void addHermite(int half, double sigma, int degree, std::vector<std::vector<float>>& basis) {
    const int side = 2 * half + 1;
    std::vector<std::vector<double>> axis(static_cast<std::size_t>(degree) + 1);
    for (int n = 0; n <= degree; ++n) {
        double squares = 0.0;
        for (int i = -half; i <= half; ++i) {
            const double t = i / sigma;
            double before = 0.0;
            double value = 1.0;
            for (int k = 0; k < n; ++k) {
                const double next = 2.0 * t * value - 2.0 * k * before;
                before = value;
                value = next;
            }
            value *= std::exp(-0.5 * t * t);
            axis[static_cast<std::size_t>(n)].push_back(value);
            squares += value * value;
        }
        for (double& v : axis[static_cast<std::size_t>(n)]) {
            v /= std::sqrt(squares);
        }
    }
    for (int n = 0; n <= degree; ++n) {
        for (int m = 0; n + m <= degree; ++m) {
            std::vector<float> kernel;
            kernel.reserve(static_cast<std::size_t>(side * side));
            for (const double along : axis[static_cast<std::size_t>(m)]) {
                for (const double across : axis[static_cast<std::size_t>(n)]) {
                    kernel.push_back(static_cast<float>(along * across));
                }
            }
            basis.push_back(std::move(kernel));
        }
    }
}

/// Squared sigma of a pixel: sky and light.
double varianceAt(float picture, double noise) {
    return noise * noise + std::max(0.0, static_cast<double>(picture));
}

} // namespace

/// Normal equations of a fit.
struct MatchingKernel::Equations {
    Eigen::MatrixXd left;
    Eigen::VectorXd right;

    explicit Equations(std::size_t unknowns)
        : left(Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(unknowns),
                                     static_cast<Eigen::Index>(unknowns))),
          right(Eigen::VectorXd::Zero(static_cast<Eigen::Index>(unknowns))) {}
};

MatchingKernel::MatchingKernel(double fwhm, int width, int height)
    : half_(std::clamp(static_cast<int>(std::ceil(1.8 * fwhm)), 3, 12)), width_(width),
      height_(height) {
    const int side = 2 * half_ + 1;
    std::vector<float> middle(static_cast<std::size_t>(side * side));
    middle[middle.size() / 2] = 1.0F;
    basis_.push_back(std::move(middle));
    addHermite(half_, std::max(0.7, 0.3 * fwhm), 4, basis_);
    addHermite(half_, std::max(1.4, 0.6 * fwhm), 2, basis_);
}

std::vector<double> MatchingKernel::termsAt(frame::PixelPos place) const {
    std::vector<double> terms{1.0};
    if (terms_ > 1) {
        terms.push_back(2.0 * place.x / width_ - 1.0);
        terms.push_back(2.0 * place.y / height_ - 1.0);
    }
    return terms;
}

void MatchingKernel::add(const Stamp& stamp, double noise, Equations& equations) const {
    const std::size_t pixels = stamp.picture.pixels().size();
    std::vector<double> weights(pixels);
    double all = 0.0;
    std::vector<frame::Image> columns;
    columns.reserve(basis_.size());
    for (const auto& kernel : basis_) {
        columns.push_back(convolved(stamp.model, kernel, half_));
    }
    for (std::size_t i = 0; i < pixels; ++i) {
        const float picture = stamp.picture.pixels()[i];
        const bool counts = std::isfinite(picture) && std::isfinite(columns[1].pixels()[i]);
        weights[i] = counts ? 1.0 / varianceAt(picture, noise) : 0.0;
        all += weights[i];
    }
    if (!(all > 0.0)) {
        return;
    }
    // The level of each stamp is its own: means are taken off on both sides.
    const auto n = static_cast<Eigen::Index>(basis_.size());
    Eigen::VectorXd means = Eigen::VectorXd::Zero(n);
    double pictureMean = 0.0;
    for (std::size_t i = 0; i < pixels; ++i) {
        if (weights[i] > 0.0) {
            pictureMean += weights[i] / all * static_cast<double>(stamp.picture.pixels()[i]);
            for (Eigen::Index k = 0; k < n; ++k) {
                means(k) += weights[i] / all *
                            static_cast<double>(columns[static_cast<std::size_t>(k)].pixels()[i]);
            }
        }
    }
    Eigen::MatrixXd own = Eigen::MatrixXd::Zero(n, n);
    Eigen::VectorXd ownRight = Eigen::VectorXd::Zero(n);
    Eigen::VectorXd values(n);
    for (std::size_t i = 0; i < pixels; ++i) {
        if (weights[i] <= 0.0) {
            continue;
        }
        for (Eigen::Index k = 0; k < n; ++k) {
            values(k) =
                static_cast<double>(columns[static_cast<std::size_t>(k)].pixels()[i]) - means(k);
        }
        const double picture = static_cast<double>(stamp.picture.pixels()[i]) - pictureMean;
        for (Eigen::Index a = 0; a < n; ++a) {
            const double wa = weights[i] * values(a);
            ownRight(a) += wa * picture;
            for (Eigen::Index b = 0; b <= a; ++b) {
                own(a, b) += wa * values(b);
            }
        }
    }
    const auto terms = termsAt(stamp.centre);
    const auto t = static_cast<Eigen::Index>(terms.size());
    for (Eigen::Index a = 0; a < n; ++a) {
        for (Eigen::Index i = 0; i < t; ++i) {
            equations.right(a * t + i) += terms[static_cast<std::size_t>(i)] * ownRight(a);
            for (Eigen::Index b = 0; b < n; ++b) {
                const double ab = a >= b ? own(a, b) : own(b, a);
                for (Eigen::Index k = 0; k < t; ++k) {
                    equations.left(a * t + i, b * t + k) += terms[static_cast<std::size_t>(i)] *
                                                            terms[static_cast<std::size_t>(k)] * ab;
                }
            }
        }
    }
}

std::vector<float> MatchingKernel::at(frame::PixelPos place) const {
    const auto terms = termsAt(place);
    std::vector<float> kernel(basis_.front().size());
    for (std::size_t k = 0; k < basis_.size(); ++k) {
        double sum = 0.0;
        for (std::size_t i = 0; i < terms.size(); ++i) {
            sum += terms[i] * coefficients_[k * terms.size() + i];
        }
        for (std::size_t i = 0; i < kernel.size(); ++i) {
            kernel[i] += static_cast<float>(sum) * basis_[k][i];
        }
    }
    return kernel;
}

/// Picture less model, each stamp's own level taken off.
frame::Image MatchingKernel::drawn(const Stamp& stamp) const {
    frame::Image rest = convolved(stamp.model, at(stamp.centre), half_);
    std::vector<double> levels;
    for (std::size_t i = 0; i < rest.pixels().size(); ++i) {
        rest.pixels()[i] = stamp.picture.pixels()[i] - rest.pixels()[i];
        if (std::isfinite(rest.pixels()[i])) {
            levels.push_back(static_cast<double>(rest.pixels()[i]));
        }
    }
    if (!levels.empty()) {
        const auto level = static_cast<float>(medianInPlace(std::span(levels)));
        for (float& v : rest.pixels()) {
            v -= level;
        }
    }
    return rest;
}

double MatchingKernel::chiSquare(const Stamp& stamp, double noise) const {
    const frame::Image rest = drawn(stamp);
    double sum = 0.0;
    double count = 0.0;
    for (std::size_t i = 0; i < rest.pixels().size(); ++i) {
        if (std::isfinite(rest.pixels()[i])) {
            const auto r = static_cast<double>(rest.pixels()[i]);
            sum += r * r / varianceAt(stamp.picture.pixels()[i], noise);
            count += 1.0;
        }
    }
    return count > 0.0 ? sum / count : 0.0;
}

void MatchingKernel::measureMismatch(std::span<const Stamp> stamps, double noise) {
    std::vector<double> shares;
    for (const Stamp& stamp : stamps) {
        const frame::Image rest = drawn(stamp);
        double squares = 0.0;
        double light = 0.0;
        for (std::size_t i = 0; i < rest.pixels().size(); ++i) {
            const float picture = stamp.picture.pixels()[i];
            if (std::isfinite(rest.pixels()[i]) && static_cast<double>(picture) > kBright * noise) {
                const auto r = static_cast<double>(rest.pixels()[i]);
                squares += r * r - varianceAt(picture, noise);
                light += static_cast<double>(picture) * static_cast<double>(picture);
            }
        }
        if (light > 0.0) {
            shares.push_back(std::max(0.0, squares) / light);
        }
    }
    mismatch_ = shares.empty() ? 0.02 : std::sqrt(medianInPlace(std::span(shares)));
}

bool MatchingKernel::fit(std::span<const Stamp> stamps, double noise) {
    if (stamps.size() < kLeastStamps) {
        return false;
    }
    terms_ = stamps.size() < kSlopeStamps ? 1 : 3;
    std::vector<const Stamp*> used;
    for (const Stamp& stamp : stamps) {
        used.push_back(&stamp);
    }
    for (int round = 0; round < 3; ++round) {
        const std::size_t unknowns = basis_.size() * terms_;
        std::vector<Equations> parts(used.size(), Equations(unknowns));
        parallelFor(used.size(), [&](std::size_t i) { add(*used[i], noise, parts[i]); });
        Equations sum(unknowns);
        for (const Equations& part : parts) {
            sum.left += part.left;
            sum.right += part.right;
        }
        // A breath of a ridge: Hermite functions of two widths are not wholly apart.
        const double ridge = 1e-9 * sum.left.trace() / static_cast<double>(sum.left.rows());
        sum.left.diagonal().array() += ridge;
        const Eigen::VectorXd solved = solveSymmetric(sum.left, sum.right);
        coefficients_.assign(solved.data(), solved.data() + solved.size());
        std::vector<double> chi(used.size());
        parallelFor(used.size(), [&](std::size_t i) { chi[i] = chiSquare(*used[i], noise); });
        std::vector<double> sorted = chi;
        const double limit = std::max(2.0, 3.0 * medianInPlace(std::span(sorted)));
        std::vector<const Stamp*> kept;
        for (std::size_t i = 0; i < used.size(); ++i) {
            if (chi[i] <= limit) {
                kept.push_back(used[i]);
            }
        }
        if (kept.size() == used.size() || kept.size() < kLeastStamps) {
            break;
        }
        used = std::move(kept);
    }
    measureMismatch(stamps, noise);
    return true;
}

} // namespace pathmark::stack
