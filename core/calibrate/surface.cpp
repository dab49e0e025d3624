#include "core/calibrate/surface.h"

#include "core/base/linear.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::calibrate {
namespace {

constexpr int kSplineKnots = 9; ///< intervals an axis

int boxSide(int width, int height, const SurfaceOptions& options) {
    return options.boxPixels > 0.0 ? static_cast<int>(std::lround(options.boxPixels))
                                   : std::max(16, std::max(width, height) / 40);
}

bool isProtected(const SurfaceSample& sample,
                 double half,
                 const std::vector<ProtectedDisc>& discs) {
    return std::any_of(discs.begin(), discs.end(), [&](const ProtectedDisc& disc) {
        const double dx = std::max(0.0, std::abs(sample.x - disc.centre.x) - half);
        const double dy = std::max(0.0, std::abs(sample.y - disc.centre.y) - half);
        return std::hypot(dx, dy) < disc.radius;
    });
}

std::vector<double> legendre(double t, int degree) {
    std::vector<double> p{1.0, t};
    for (int n = 2; n <= degree; ++n) {
        p.push_back(((2.0 * n - 1.0) * t * p[static_cast<std::size_t>(n) - 1] -
                     (n - 1.0) * p[static_cast<std::size_t>(n) - 2]) /
                    n);
    }
    p.resize(static_cast<std::size_t>(degree) + 1);
    return p;
}

/// The four cubic B-splines that are not zero at t, spread over all of them.
std::vector<double> splines(double t, int intervals) {
    std::vector<double> all(static_cast<std::size_t>(intervals) + 3, 0.0);
    const double place = std::clamp(0.5 * (t + 1.0), 0.0, 1.0) * intervals;
    const int first = std::min(static_cast<int>(place), intervals - 1);
    const double u = place - first;
    const double v = 1.0 - u;
    const auto i = static_cast<std::size_t>(first);
    all[i] = v * v * v / 6.0;
    all[i + 1] = (3.0 * u * u * u - 6.0 * u * u + 4.0) / 6.0;
    all[i + 2] = (3.0 * v * v * v - 6.0 * v * v + 4.0) / 6.0;
    all[i + 3] = u * u * u / 6.0;
    return all;
}

/// Second differences along both axes of an n x n tensor of coefficients.
Eigen::MatrixXd penalty(int n) {
    Eigen::MatrixXd d = Eigen::MatrixXd::Zero(n - 2, n);
    for (int i = 0; i + 2 < n; ++i) {
        d(i, i) = 1.0;
        d(i, i + 1) = -2.0;
        d(i, i + 2) = 1.0;
    }
    const Eigen::MatrixXd one = productOf(d.transpose(), d);
    Eigen::MatrixXd both = Eigen::MatrixXd::Zero(n * n, n * n);
    for (int a = 0; a < n; ++a) {
        for (int i = 0; i < n; ++i) {
            for (int j = 0; j < n; ++j) {
                both(a * n + i, a * n + j) += one(i, j); // along x in row a
                both(i * n + a, j * n + a) += one(i, j); // along y in column a
            }
        }
    }
    return both;
}

/// Least squares with the penalty whose weight cross-validates best; the plain fit for polynomials.
Eigen::VectorXd solveFor(const Eigen::MatrixXd& design, const Eigen::VectorXd& y, int splineSide) {
    if (splineSide == 0) {
        return leastSquares(design, y);
    }
    const Eigen::MatrixXd normal = productOf(design.transpose(), design);
    Eigen::MatrixXd right(normal.rows(), normal.cols() + 1);
    right << productOf(design.transpose(), y), normal;
    const Eigen::MatrixXd rough = penalty(splineSide);
    const Eigen::MatrixXd ridge = 1e-9 * normal.trace() / static_cast<double>(normal.rows()) *
                                  Eigen::MatrixXd::Identity(normal.rows(), normal.cols());
    Eigen::VectorXd best;
    double bestScore = 0.0;
    const auto n = static_cast<double>(y.size());
    for (int power = -4; power < 4; ++power) {
        const double weight = std::pow(10.0, power);
        const Eigen::MatrixXd solved = solveSymmetric(normal + weight * rough + ridge, right);
        const Eigen::VectorXd solution = solved.col(0);
        const double freedom = solved.rightCols(normal.cols()).trace();
        const double score =
            (y - productOf(design, solution)).squaredNorm() / std::pow(1.0 - freedom / n, 2);
        if (best.size() == 0 || score < bestScore) {
            best = solution;
            bestScore = score;
        }
    }
    return best;
}

} // namespace

std::vector<SurfaceSample> sampleSurface(const frame::Image& image, const SurfaceOptions& options) {
    const int side = boxSide(image.width(), image.height(), options);
    const int columns = std::max(1, image.width() / side);
    const int rows = std::max(1, image.height() / side);
    std::vector<SurfaceSample> samples(static_cast<std::size_t>(columns) *
                                       static_cast<std::size_t>(rows));
    parallelFor(samples.size(), [&](std::size_t index) {
        const int column = static_cast<int>(index) % columns;
        const int row = static_cast<int>(index) / columns;
        const int x0 = static_cast<int>(static_cast<long long>(column) * image.width() / columns);
        const int x1 =
            static_cast<int>(static_cast<long long>(column + 1) * image.width() / columns);
        const int y0 = static_cast<int>(static_cast<long long>(row) * image.height() / rows);
        const int y1 = static_cast<int>(static_cast<long long>(row + 1) * image.height() / rows);
        std::vector<float> values;
        int inside = 0;
        for (int y = y0; y < y1; ++y) {
            for (int x = x0; x < x1; ++x) {
                ++inside;
                if (const float v = image.at(x, y); std::isfinite(v)) {
                    values.push_back(v);
                }
            }
        }
        SurfaceSample& sample = samples[index];
        sample.x = 0.5 * (x0 + x1 - 1);
        sample.y = 0.5 * (y0 + y1 - 1);
        sample.used = 3 * values.size() > static_cast<std::size_t>(inside) &&
                      !isProtected(sample, 0.5 * side, options.protect);
        if (!values.empty()) {
            const RobustMoments moments = clippedMoments(values, 2.5);
            sample.level = moments.centre;
            sample.scatter = moments.sigma;
        }
    });
    return samples;
}

std::vector<double> Surface::basis(double t) const {
    return degree_ > 0 ? legendre(t, degree_) : splines(t, knots_);
}

Surface Surface::flat(double level) {
    Surface surface;
    surface.degree_ = 1;
    surface.coefficients_ = {level, 0.0, 0.0, 0.0};
    surface.level_ = level;
    return surface;
}

double Surface::at(double x, double y) const {
    const auto bx = basis(2.0 * x / std::max(1, width_ - 1) - 1.0);
    const auto by = basis(2.0 * y / std::max(1, height_ - 1) - 1.0);
    double sum = 0.0;
    for (std::size_t j = 0; j < by.size(); ++j) {
        for (std::size_t i = 0; i < bx.size(); ++i) {
            sum += coefficients_[j * bx.size() + i] * by[j] * bx[i];
        }
    }
    return sum;
}

frame::Image Surface::image() const {
    frame::Image result(width_, height_);
    std::vector<std::vector<double>> across;
    across.reserve(static_cast<std::size_t>(width_));
    for (int x = 0; x < width_; ++x) {
        across.push_back(basis(2.0 * x / std::max(1, width_ - 1) - 1.0));
    }
    parallelFor(static_cast<std::size_t>(height_), [&](std::size_t row) {
        const auto by = basis(2.0 * static_cast<double>(row) / std::max(1, height_ - 1) - 1.0);
        const std::size_t n = by.size();
        std::vector<double> line(n, 0.0);
        for (std::size_t j = 0; j < n; ++j) {
            for (std::size_t i = 0; i < n; ++i) {
                line[i] += coefficients_[j * n + i] * by[j];
            }
        }
        auto out = result.row(static_cast<int>(row));
        for (std::size_t x = 0; x < out.size(); ++x) {
            double sum = 0.0;
            for (std::size_t i = 0; i < n; ++i) {
                sum += line[i] * across[x][i];
            }
            out[x] = static_cast<float>(sum);
        }
    });
    return result;
}

Result<Surface> fitSurface(std::vector<SurfaceSample>& samples,
                           int width,
                           int height,
                           const SurfaceOptions& options) {
    PATHMARK_EXPECTS(options.degree >= 0 && options.degree <= 6 && width > 1 && height > 1);
    Surface surface;
    surface.width_ = width;
    surface.height_ = height;
    surface.degree_ = options.degree;
    surface.knots_ = kSplineKnots;
    const auto side = surface.basis(0.0).size();
    PATHMARK_EXPECTS(side > 0);
    // Of a polynomial only terms up to the total degree; of splines all.
    std::vector<std::size_t> terms;
    for (std::size_t j = 0; j < side; ++j) {
        for (std::size_t i = 0; i < side; ++i) {
            if (options.degree == 0 || i + j <= static_cast<std::size_t>(options.degree)) {
                terms.push_back(j * side + i);
            }
        }
    }
    for (int round = 0; round < 12; ++round) {
        std::vector<const SurfaceSample*> good;
        for (const SurfaceSample& sample : samples) {
            if (sample.used) {
                good.push_back(&sample);
            }
        }
        const std::size_t needed = options.degree == 0 ? 20 : 2 * terms.size();
        if (good.size() < needed) {
            return fail(
                ErrorId::CalibrateNoBackground,
                fmt::format(
                    "Only {} places of empty sky were found, {} are needed for this surface; "
                    "choose a lower degree or protect less.",
                    good.size(),
                    needed));
        }
        Eigen::MatrixXd design(static_cast<Eigen::Index>(good.size()),
                               static_cast<Eigen::Index>(terms.size()));
        Eigen::VectorXd y(static_cast<Eigen::Index>(good.size()));
        for (std::size_t k = 0; k < good.size(); ++k) {
            const auto bx = surface.basis(2.0 * good[k]->x / (width - 1) - 1.0);
            const auto by = surface.basis(2.0 * good[k]->y / (height - 1) - 1.0);
            for (std::size_t t = 0; t < terms.size(); ++t) {
                design(static_cast<Eigen::Index>(k), static_cast<Eigen::Index>(t)) =
                    by[terms[t] / side] * bx[terms[t] % side];
            }
            y(static_cast<Eigen::Index>(k)) = good[k]->level;
        }
        const Eigen::VectorXd solution =
            solveFor(design, y, options.degree == 0 ? static_cast<int>(side) : 0);
        surface.coefficients_.assign(side * side, 0.0);
        for (std::size_t t = 0; t < terms.size(); ++t) {
            surface.coefficients_[terms[t]] = solution(static_cast<Eigen::Index>(t));
        }
        const Eigen::VectorXd residual = y - productOf(design, solution);
        std::vector<double> values(residual.data(), residual.data() + residual.size());
        const double sigma = medianAndDeviation(values).sigma;
        // Light adds: what stands above the surface is a source more often than what lies below it is a fault.
        int dropped = 0;
        std::size_t k = 0;
        for (SurfaceSample& sample : samples) {
            if (!sample.used) {
                continue;
            }
            const double r = residual(static_cast<Eigen::Index>(k++));
            if (r > 3.0 * sigma || r < -4.5 * sigma) {
                sample.used = false;
                ++dropped;
            }
        }
        if (dropped == 0) {
            break;
        }
    }
    std::vector<double> levels;
    int used = 0;
    for (const SurfaceSample& sample : samples) {
        levels.push_back(surface.at(sample.x, sample.y));
        used += sample.used ? 1 : 0;
    }
    surface.level_ = medianInPlace(std::span(levels));
    surface.words_ =
        fmt::format("{} through {} of {} samples",
                    options.degree == 0 ? std::string("smooth spline")
                                        : fmt::format("polynomial of degree {}", options.degree),
                    used,
                    samples.size());
    return surface;
}

std::vector<SurfaceSample> pooledSamples(std::span<const std::vector<SurfaceSample>> frames) {
    PATHMARK_EXPECTS(!frames.empty());
    std::vector<double> medians;
    for (const auto& samples : frames) {
        PATHMARK_EXPECTS(samples.size() == frames.front().size());
        std::vector<double> levels;
        for (const SurfaceSample& sample : samples) {
            if (sample.used) {
                levels.push_back(sample.level);
            }
        }
        medians.push_back(levels.empty() ? 0.0 : medianInPlace(std::span(levels)));
    }
    const double mean = [&] {
        double sum = 0.0;
        for (const double m : medians) {
            sum += m;
        }
        return sum / static_cast<double>(medians.size());
    }();
    std::vector<SurfaceSample> pooled = frames.front();
    for (std::size_t i = 0; i < pooled.size(); ++i) {
        std::vector<double> levels;
        for (std::size_t f = 0; f < frames.size(); ++f) {
            if (frames[f][i].used) {
                levels.push_back(frames[f][i].level - medians[f] + mean);
            }
        }
        pooled[i].used = !levels.empty();
        pooled[i].level = levels.empty() ? 0.0 : medianInPlace(std::span(levels));
    }
    return pooled;
}

void subtractShape(frame::Image& image, const Surface& surface) {
    const frame::Image shape = surface.image();
    const auto level = static_cast<float>(surface.level());
    auto pixels = image.pixels();
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        pixels[i] -= shape.pixels()[i] - level;
    }
}

void levelTo(frame::Image& image, const Surface& surface, double level) {
    const frame::Image shape = surface.image();
    const auto to = static_cast<float>(level);
    auto pixels = image.pixels();
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        pixels[i] *= to / shape.pixels()[i];
    }
}

} // namespace pathmark::calibrate
