#include "core/solve/plane_surface.h"

#include "core/base/linear.h"
#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::solve {
namespace {

constexpr int kFolds = 5;

Surface solveSums(const SurfaceSums& sums, const SurfaceModel& model) {
    const Eigen::MatrixXd full = sums.normal.selfadjointView<Eigen::Lower>();
    Eigen::MatrixXd right(full.rows(), 2);
    right << sums.xi, sums.eta;
    const Eigen::MatrixXd solved = solveSymmetric(full, right);
    return {model, solved.col(0), solved.col(1)};
}

SurfaceSums sumsOf(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    SurfaceSums sums(model.terms());
    TermRow row{};
    for (const SurfacePoint& point : points) {
        if (point.used) {
            model.row(point, row);
            sums.add(row, point);
        }
    }
    return sums;
}

SurfacePoint stretched(SurfacePoint point, double cubic) {
    const double factor = 1.0 + cubic * (point.u * point.u + point.v * point.v);
    point.u *= factor;
    point.v *= factor;
    return point;
}

/// Linear terms and the cubic together: what the cubic would do beyond any linear surface decides about it.
Surface solveRadial(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    const SurfaceModel linear;
    const double known = 1.0 / (model.cubicSigma * model.cubicSigma);
    Surface surface;
    double cubic = 0.0;
    for (int round = 0; round < 4; ++round) {
        std::vector<SurfacePoint> moved;
        moved.reserve(points.size());
        for (const SurfacePoint& point : points) {
            moved.push_back(stretched(point, cubic));
        }
        surface = solveSums(sumsOf(moved, linear), linear);
        // The change that one unit of the cubic brings, less the linear surface through it.
        std::vector<SurfacePoint> change = moved;
        for (std::size_t i = 0; i < change.size(); ++i) {
            const double r2 = points[i].u * points[i].u + points[i].v * points[i].v;
            const double du = points[i].u * r2;
            const double dv = points[i].v * r2;
            change[i].xi = surface.xi[1] * du + surface.xi[2] * dv;
            change[i].eta = surface.eta[1] * du + surface.eta[2] * dv;
        }
        const Surface mean = solveSums(sumsOf(change, linear), linear);
        double top = -known * cubic;
        double bottom = known;
        TermRow row{};
        for (std::size_t i = 0; i < change.size(); ++i) {
            if (!change[i].used) {
                continue;
            }
            linear.row(change[i], row);
            const Eigen::Vector3d terms(row[0], row[1], row[2]);
            const double x = change[i].xi - terms.dot(mean.xi);
            const double y = change[i].eta - terms.dot(mean.eta);
            top += change[i].weight * (x * (moved[i].xi - terms.dot(surface.xi)) +
                                       y * (moved[i].eta - terms.dot(surface.eta)));
            bottom += change[i].weight * (x * x + y * y);
        }
        if (!(bottom > 0.0)) {
            break;
        }
        cubic = std::clamp(cubic + top / bottom, -0.2, 0.2);
        surface.cubicVariance = 1.0 / bottom;
        surface.cubicXi = mean.xi.head<3>();
        surface.cubicEta = mean.eta.head<3>();
    }
    surface.model = model;
    surface.cubic = cubic;
    return surface;
}

double crossValidateRadial(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    double sum = 0.0;
    int count = 0;
    for (int fold = 0; fold < kFolds; ++fold) {
        std::vector<SurfacePoint> others = points;
        for (SurfacePoint& point : others) {
            point.used = point.used && point.fold % kFolds != fold;
        }
        const Surface surface = solveRadial(others, model);
        for (const SurfacePoint& point : points) {
            if (point.used && point.fold % kFolds == fold) {
                sum += std::min(surface.residualSquare(point), 30.0);
                ++count;
            }
        }
    }
    return sum / std::max(1, count);
}

} // namespace

int monomials(double u, double v, int order, TermRow& row) {
    std::array<double, kMaxOrder + 1> pu{1.0};
    std::array<double, kMaxOrder + 1> pv{1.0};
    for (int k = 1; k <= order; ++k) {
        const auto i = static_cast<std::size_t>(k);
        pu[i] = pu[i - 1] * u;
        pv[i] = pv[i - 1] * v;
    }
    int at = 0;
    for (int degree = 0; degree <= order; ++degree) {
        for (int q = 0; q <= degree; ++q) {
            row[static_cast<std::size_t>(at++)] =
                pu[static_cast<std::size_t>(degree - q)] * pv[static_cast<std::size_t>(q)];
        }
    }
    return at;
}

void SurfaceModel::row(const SurfacePoint& point, TermRow& out) const {
    const int count = monomials(point.u, point.v, order, out);
    if (colour) {
        out[static_cast<std::size_t>(count)] = point.colour;
    }
}

SurfaceSums::SurfaceSums(int terms)
    : normal(Eigen::MatrixXd::Zero(terms, terms)), xi(Eigen::VectorXd::Zero(terms)),
      eta(Eigen::VectorXd::Zero(terms)) {}

void SurfaceSums::add(const TermRow& row, const SurfacePoint& point) {
    const auto n = static_cast<int>(xi.size());
    for (int j = 0; j < n; ++j) {
        const double weighted = point.weight * row[static_cast<std::size_t>(j)];
        xi[j] += weighted * point.xi;
        eta[j] += weighted * point.eta;
        double* column = normal.data() + static_cast<std::ptrdiff_t>(j) * n;
        for (int i = j; i < n; ++i) {
            column[i] += weighted * row[static_cast<std::size_t>(i)];
        }
    }
}

void SurfaceSums::add(const SurfaceSums& other, double sign) {
    normal += sign * other.normal;
    xi += sign * other.xi;
    eta += sign * other.eta;
}

double Surface::residualSquare(const SurfacePoint& point) const {
    TermRow row{};
    model.row(model.radial() ? stretched(point, cubic) : point, row);
    double dx = point.xi;
    double dy = point.eta;
    for (Eigen::Index k = 0; k < xi.size(); ++k) {
        dx -= row[static_cast<std::size_t>(k)] * xi[k];
        dy -= row[static_cast<std::size_t>(k)] * eta[k];
    }
    return (dx * dx + dy * dy) * point.weight;
}

Surface solveSurface(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    if (model.radial()) {
        return solveRadial(points, model);
    }
    return solveSums(sumsOf(points, model), model);
}

Eigen::MatrixXd covarianceOf(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    const Eigen::MatrixXd full = sumsOf(points, model).normal.selfadjointView<Eigen::Lower>();
    return inverseOfSymmetric(full);
}

Surface clipAndSolve(std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    Surface surface;
    std::vector<double> squares(points.size());
    for (int round = 0; round < 10; ++round) {
        surface = solveSurface(points, model);
        std::vector<double> used;
        for (std::size_t i = 0; i < points.size(); ++i) {
            squares[i] = surface.residualSquare(points[i]);
            if (points[i].used) {
                used.push_back(squares[i]);
            }
        }
        // The median of chi-square with two degrees of freedom is 2 ln 2.
        const double spread =
            std::max(1.0, medianInPlace(std::span(used)) / (2.0 * std::numbers::ln2));
        bool changed = false;
        std::ptrdiff_t left = 0;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const bool good = squares[i] < 2.0 * 9.5 * spread;
            changed = changed || good != points[i].used;
            points[i].used = good;
            left += good ? 1 : 0;
        }
        if (!changed || left < model.terms() + 2) {
            break;
        }
    }
    return surface;
}

double crossValidate(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    if (model.radial()) {
        return crossValidateRadial(points, model);
    }
    std::vector<SurfaceSums> folds(kFolds, SurfaceSums(model.terms()));
    SurfaceSums all(model.terms());
    TermRow row{};
    for (const SurfacePoint& point : points) {
        if (point.used) {
            model.row(point, row);
            folds[point.fold % kFolds].add(row, point);
        }
    }
    for (const SurfaceSums& fold : folds) {
        all.add(fold, 1.0);
    }
    double sum = 0.0;
    int count = 0;
    for (int fold = 0; fold < kFolds; ++fold) {
        SurfaceSums others = all;
        others.add(folds[static_cast<std::size_t>(fold)], -1.0);
        const Surface surface = solveSums(others, model);
        for (const SurfacePoint& point : points) {
            if (point.used && point.fold % kFolds == fold) {
                sum += std::min(surface.residualSquare(point), 30.0);
                ++count;
            }
        }
    }
    return sum / std::max(1, count);
}

} // namespace pathmark::solve
