#include "core/frame/wcs_polynomial.h"

#include "core/base/linear.h"

#include <algorithm>
#include <cmath>

namespace pathmark::frame {
namespace {

constexpr int kInverseGrid = 28;
constexpr int kHighestOrder = 9; // of SIP
constexpr double kInverseError = 5e-4;

/// A pixel of the grid and how far the distortion moves it.
struct InverseNode {
    double u, v, du, dv;
};

/// The inverse of one degree; the largest error on the grid in pixels.
double fitInverse(Wcs& wcs, const std::vector<InverseNode>& nodes, double unit, int order) {
    const int n = (order + 1) * (order + 2) / 2;
    Eigen::MatrixXd design(static_cast<Eigen::Index>(nodes.size()), n);
    Eigen::MatrixXd right(static_cast<Eigen::Index>(nodes.size()), 2);
    for (std::size_t k = 0; k < nodes.size(); ++k) {
        const auto row = static_cast<Eigen::Index>(k);
        const double x = (nodes[k].u + nodes[k].du) / unit;
        const double y = (nodes[k].v + nodes[k].dv) / unit;
        // Each degree from the one before: all its terms times x, and its last times y.
        design(row, 0) = 1.0;
        Eigen::Index at = 1;
        for (int degree = 1; degree <= order; ++degree) {
            for (int q = 0; q < degree; ++q, ++at) {
                design(row, at) = design(row, at - degree) * x;
            }
            design(row, at) = design(row, at - degree - 1) * y;
            ++at;
        }
        right.row(row) << -nodes[k].du, -nodes[k].dv;
    }
    const Eigen::MatrixXd terms =
        solveSymmetric(productOf(design.transpose(), design), productOf(design.transpose(), right));
    wcs.ap = SipPolynomial(order);
    wcs.bp = SipPolynomial(order);
    Eigen::Index at = 0;
    for (int degree = 0; degree <= order; ++degree) {
        for (int q = 0; q <= degree; ++q, ++at) {
            const double factor = std::pow(unit, -degree);
            wcs.ap.setCoefficient(degree - q, q, terms(at, 0) * factor);
            wcs.bp.setCoefficient(degree - q, q, terms(at, 1) * factor);
        }
    }
    return (productOf(design, terms) - right).cwiseAbs().maxCoeff();
}

} // namespace

Wcs wcsOf(const PlanePolynomial& plane, const SkyPos& tangentPoint, PixelPos reference) {
    Wcs wcs;
    wcs.referenceSky = tangentPoint;
    wcs.referencePixel = reference;
    const auto& [order, unit, xi, eta] = plane;
    wcs.cd = {xi[1] / unit, xi[2] / unit, eta[1] / unit, eta[2] / unit};
    if (order < 2) {
        return wcs;
    }
    const double determinant = wcs.cd[0] * wcs.cd[3] - wcs.cd[1] * wcs.cd[2];
    wcs.a = SipPolynomial(order);
    wcs.b = SipPolynomial(order);
    std::size_t at = 3;
    for (int degree = 2; degree <= order; ++degree) {
        for (int q = 0; q <= degree; ++q, ++at) {
            const double factor = std::pow(unit, -degree);
            const double x = xi[at] * factor;
            const double y = eta[at] * factor;
            wcs.a.setCoefficient(degree - q, q, (wcs.cd[3] * x - wcs.cd[1] * y) / determinant);
            wcs.b.setCoefficient(degree - q, q, (wcs.cd[0] * y - wcs.cd[2] * x) / determinant);
        }
    }
    return wcs;
}

void addInverse(Wcs& wcs, int width, int height) {
    if (wcs.a.order() < 2) {
        return;
    }
    const double unit = 0.5 * std::max(width, height);
    std::vector<InverseNode> nodes;
    for (int j = 0; j <= kInverseGrid; ++j) {
        for (int i = 0; i <= kInverseGrid; ++i) {
            const double u =
                width * static_cast<double>(i) / kInverseGrid - 0.5 - wcs.referencePixel.x;
            const double v =
                height * static_cast<double>(j) / kInverseGrid - 0.5 - wcs.referencePixel.y;
            nodes.push_back({u, v, wcs.a.value(u, v), wcs.b.value(u, v)});
        }
    }
    for (int order = wcs.a.order(); order <= kHighestOrder; ++order) {
        if (fitInverse(wcs, nodes, unit, order) < kInverseError) {
            return;
        }
    }
}

} // namespace pathmark::frame
