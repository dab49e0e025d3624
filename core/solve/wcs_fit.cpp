#include "core/solve/wcs_fit.h"

#include "core/base/robust.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::solve {
namespace {

using frame::PixelPos;
using frame::SipPolynomial;
using frame::Wcs;

int termCount(int order) {
    return (order + 1) * (order + 2) / 2;
}

/// The monomials 1, u, v, u^2, u v, v^2, ... up to `order`.
Eigen::RowVectorXd monomials(double u, double v, int order) {
    Eigen::RowVectorXd row(termCount(order));
    Eigen::Index at = 0;
    for (int degree = 0; degree <= order; ++degree) {
        for (int q = 0; q <= degree; ++q) {
            row[at++] = std::pow(u, degree - q) * std::pow(v, q);
        }
    }
    return row;
}

/// Both plane coordinates as polynomials of offsets scaled to about one.
struct Surface {
    int order = 1;
    double unit = 1.0; ///< pixels per scaled unit
    Eigen::VectorXd xi;
    Eigen::VectorXd eta;
};

struct Prepared {
    double u, v;    ///< scaled offsets from the middle
    double xi, eta; ///< plane
    double weight;  ///< 1 / sigma^2, plane units
};

Surface solveSurface(const std::vector<Prepared>& points,
                     const std::vector<bool>& use,
                     int order,
                     double unit) {
    const int n = termCount(order);
    Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(n, n);
    Eigen::VectorXd right1 = Eigen::VectorXd::Zero(n);
    Eigen::VectorXd right2 = Eigen::VectorXd::Zero(n);
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (!use[i]) {
            continue;
        }
        const Eigen::VectorXd row = monomials(points[i].u, points[i].v, order).transpose();
        normal += points[i].weight * row * row.transpose();
        right1 += points[i].weight * points[i].xi * row;
        right2 += points[i].weight * points[i].eta * row;
    }
    const auto solver = normal.ldlt();
    return {order, unit, solver.solve(right1), solver.solve(right2)};
}

double residualSquare(const Surface& s, const Prepared& p) {
    const Eigen::RowVectorXd row = monomials(p.u, p.v, s.order);
    const double dx = p.xi - row.dot(s.xi);
    const double dy = p.eta - row.dot(s.eta);
    return (dx * dx + dy * dy) * p.weight;
}

/// Leaves out pairs whose residual exceeds 4 sigma; sigma is at least the stated one.
Surface
clipAndSolve(const std::vector<Prepared>& points, std::vector<bool>& use, int order, double unit) {
    Surface surface;
    for (int round = 0; round < 10; ++round) {
        surface = solveSurface(points, use, order, unit);
        std::vector<double> squares;
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (use[i]) {
                squares.push_back(residualSquare(surface, points[i]));
            }
        }
        // The median of chi-square with two degrees of freedom is 2 ln 2.
        const double spread =
            std::max(1.0, medianInPlace(std::span(squares)) / (2.0 * std::numbers::ln2));
        bool changed = false;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const bool good = residualSquare(surface, points[i]) < 2.0 * 9.5 * spread;
            changed = changed || good != use[i];
            use[i] = good;
        }
        const auto left = std::count(use.begin(), use.end(), true);
        if (!changed || left < termCount(order) + 2) {
            break;
        }
    }
    return surface;
}

/// Mean squared error of left-out pairs, in their own sigmas; every fifth pair is left out in turn.
double crossValidate(const std::vector<Prepared>& points,
                     const std::vector<bool>& use,
                     int order,
                     double unit) {
    constexpr int folds = 5;
    std::vector<double> squares;
    for (int fold = 0; fold < folds; ++fold) {
        std::vector<bool> train = use;
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (static_cast<int>(i % folds) == fold) {
                train[i] = false;
            }
        }
        const Surface surface = solveSurface(points, train, order, unit);
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (use[i] && !train[i]) {
                squares.push_back(std::min(residualSquare(surface, points[i]), 30.0));
            }
        }
    }
    double sum = 0.0;
    for (const double s : squares) {
        sum += s;
    }
    return sum / static_cast<double>(squares.size());
}

/// Turns the surface into CD and SIP; the constant term must be negligible.
Wcs toWcs(const Surface& s, const SkyPos& tangentPoint, PixelPos middle) {
    Wcs wcs;
    wcs.referenceSky = tangentPoint;
    wcs.referencePixel = middle;
    wcs.cd = {s.xi[1] / s.unit, s.xi[2] / s.unit, s.eta[1] / s.unit, s.eta[2] / s.unit};
    if (s.order < 2) {
        return wcs;
    }
    const double determinant = wcs.cd[0] * wcs.cd[3] - wcs.cd[1] * wcs.cd[2];
    wcs.a = SipPolynomial(s.order);
    wcs.b = SipPolynomial(s.order);
    Eigen::Index at = 3;
    for (int degree = 2; degree <= s.order; ++degree) {
        for (int q = 0; q <= degree; ++q, ++at) {
            const double factor = std::pow(s.unit, -degree);
            const double x = s.xi[at] * factor;
            const double y = s.eta[at] * factor;
            wcs.a.setCoefficient(degree - q, q, (wcs.cd[3] * x - wcs.cd[1] * y) / determinant);
            wcs.b.setCoefficient(degree - q, q, (wcs.cd[0] * y - wcs.cd[2] * x) / determinant);
        }
    }
    return wcs;
}

/// The way back as a polynomial, for readers of the file: fitted on a grid of the frame.
void addInverse(Wcs& wcs, int width, int height) {
    const int order = std::min(9, wcs.a.order() + 2);
    const double unit = 0.5 * std::max(width, height);
    const int n = termCount(order);
    Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(n, n);
    Eigen::VectorXd right1 = Eigen::VectorXd::Zero(n);
    Eigen::VectorXd right2 = Eigen::VectorXd::Zero(n);
    constexpr int grid = 24;
    for (int j = 0; j <= grid; ++j) {
        for (int i = 0; i <= grid; ++i) {
            const double u = width * static_cast<double>(i) / grid - wcs.referencePixel.x;
            const double v = height * static_cast<double>(j) / grid - wcs.referencePixel.y;
            const double du = wcs.a.value(u, v);
            const double dv = wcs.b.value(u, v);
            const Eigen::VectorXd row =
                monomials((u + du) / unit, (v + dv) / unit, order).transpose();
            normal += row * row.transpose();
            right1 -= du * row;
            right2 -= dv * row;
        }
    }
    const auto solver = normal.ldlt();
    const Eigen::VectorXd x = solver.solve(right1);
    const Eigen::VectorXd y = solver.solve(right2);
    wcs.ap = SipPolynomial(order);
    wcs.bp = SipPolynomial(order);
    Eigen::Index at = 0;
    for (int degree = 0; degree <= order; ++degree) {
        for (int q = 0; q <= degree; ++q, ++at) {
            const double factor = std::pow(unit, -degree);
            wcs.ap.setCoefficient(degree - q, q, x[at] * factor);
            wcs.bp.setCoefficient(degree - q, q, y[at] * factor);
        }
    }
}

std::vector<Prepared> prepare(std::span<const StarPair> pairs,
                              const SkyPos& tangentPoint,
                              PixelPos middle,
                              double unit,
                              double radiansPerPixel) {
    std::vector<Prepared> points;
    points.reserve(pairs.size());
    for (const StarPair& pair : pairs) {
        const PlanePos plane = toTangentPlane(tangentPoint, pair.sky);
        const double sigma = pair.sigmaPixels * radiansPerPixel;
        points.push_back({(pair.pixel.x - middle.x) / unit,
                          (pair.pixel.y - middle.y) / unit,
                          plane.xi,
                          plane.eta,
                          1.0 / (sigma * sigma)});
    }
    return points;
}

int chooseOrder(const std::vector<Prepared>& points,
                const std::vector<bool>& use,
                int maxOrder,
                double unit) {
    static constexpr std::array<int, 5> needed{0, 4, 12, 25, 60};
    const auto n = std::count(use.begin(), use.end(), true);
    int best = 1;
    double bestError = n >= 8 ? crossValidate(points, use, 1, unit) : 0.0;
    for (int order = 2; order <= maxOrder && n >= needed[static_cast<std::size_t>(order)];
         ++order) {
        const double error = crossValidate(points, use, order, unit);
        // A higher degree must earn its terms.
        if (error < 0.995 * bestError) {
            bestError = error;
            best = order;
        }
    }
    return best;
}

} // namespace

Result<WcsFit> fitWcs(std::span<const StarPair> pairs, int width, int height, int maxOrder) {
    if (pairs.size() < 4) {
        return fail(ErrorId::SolveTooFewStars, "Fewer than four stars to fit the sky to.");
    }
    const PixelPos middle{0.5 * (width - 1), 0.5 * (height - 1)};
    const double unit = 0.5 * std::max(width, height);
    // The linear scale, to weigh pixels against the plane, comes from a first plain fit.
    SkyPos tangentPoint = pairs.front().sky;
    std::vector<bool> use(pairs.size(), true);
    auto points = prepare(pairs, tangentPoint, middle, unit, 1.0);
    Surface surface = solveSurface(points, use, 1, unit);
    double radiansPerPixel =
        std::sqrt(std::abs(surface.xi[1] * surface.eta[2] - surface.xi[2] * surface.eta[1])) / unit;
    int order = 1;
    for (int round = 0; round < 4; ++round) {
        tangentPoint = fromTangentPlane(tangentPoint, {surface.xi[0], surface.eta[0]});
        points = prepare(pairs, tangentPoint, middle, unit, radiansPerPixel);
        if (round < 3) {
            std::fill(use.begin(), use.end(), true);
            const int trial = static_cast<int>(pairs.size()) >= 25 ? std::min(3, maxOrder) : 1;
            clipAndSolve(points, use, trial, unit);
            order = chooseOrder(points, use, maxOrder, unit);
        }
        surface = clipAndSolve(points, use, order, unit);
    }
    WcsFit fit;
    fit.order = order;
    // Whatever constant is left (1e-12 or so) goes into the tangent point.
    tangentPoint = fromTangentPlane(tangentPoint, {surface.xi[0], surface.eta[0]});
    fit.wcs = toWcs(surface, tangentPoint, middle);
    if (order > 1) {
        addInverse(fit.wcs, width, height);
    }
    fit.kept = use;
    double chi = 0.0;
    double squares = 0.0;
    double weights = 0.0;
    for (std::size_t i = 0; i < pairs.size(); ++i) {
        if (use[i]) {
            ++fit.used;
            weights += 1.0 / (pairs[i].sigmaPixels * pairs[i].sigmaPixels);
            const double square = residualSquare(surface, points[i]);
            chi += square;
            squares += square / points[i].weight;
        }
    }
    const int freedom = 2 * fit.used - 2 * termCount(order);
    fit.chiSquare = freedom > 0 ? chi / freedom : 0.0;
    // Mean variance of a least-squares surface: terms over the sum of weights.
    fit.placeErrorPixels =
        std::sqrt(termCount(order) / std::max(weights, 1e-9) * std::max(1.0, fit.chiSquare));
    fit.rmsArcsec = Angle::radians(std::sqrt(squares / (2.0 * std::max(1, fit.used)))).arcsec();
    return fit;
}

} // namespace pathmark::solve
