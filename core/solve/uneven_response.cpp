#include "core/solve/uneven_response.h"

#include <Eigen/Cholesky>

#include <cmath>

namespace pathmark::solve {
namespace {

constexpr std::size_t kFewestForResponse = 60;
constexpr double kLessChiSquare = 40.0;
constexpr double kLeastRms = 0.03; ///< magnitudes
constexpr double kUsualTerm = 0.3; ///< magnitudes
constexpr int kParameters = 7;     ///< zero point, colour term, response

using ResponseRow = Eigen::Matrix<double, kParameters, 1>;

ResponseRow rowOf(const ResponsePoint& p, bool freeColour, bool freeResponse) {
    ResponseRow row = ResponseRow::Zero();
    row[0] = 1.0;
    row[1] = freeColour ? p.colour : 0.0;
    if (freeResponse) {
        row.tail<5>() << p.u, p.v, p.u * p.u - 1.0 / 3.0, p.u * p.v, p.v * p.v - 1.0 / 3.0;
    }
    return row;
}

struct UnevenSolution {
    ResponseRow parameters;
    double chiSquare = 0.0;
};

UnevenSolution
solveResponse(std::span<const ResponsePoint> points, bool freeColour, bool freeResponse) {
    Eigen::Matrix<double, kParameters, kParameters> normal =
        Eigen::Matrix<double, kParameters, kParameters>::Identity() / (kUsualTerm * kUsualTerm);
    normal(0, 0) = 0.0;
    normal(1, 1) = freeColour ? 1e-6 : 1.0;
    ResponseRow right = ResponseRow::Zero();
    for (const ResponsePoint& p : points) {
        const ResponseRow row = rowOf(p, freeColour, freeResponse);
        const double weight = 1.0 / (p.sigma * p.sigma);
        normal += weight * row * row.transpose();
        right += weight * p.zero * row;
    }
    UnevenSolution result;
    result.parameters = normal.ldlt().solve(right);
    for (const ResponsePoint& p : points) {
        const double off =
            (p.zero - rowOf(p, freeColour, freeResponse).dot(result.parameters)) / p.sigma;
        result.chiSquare += off * off;
    }
    return result;
}

} // namespace

double UnevenResponse::at(double u, double v) const {
    return terms[0] * u + terms[1] * v + terms[2] * (u * u - 1.0 / 3.0) + terms[3] * u * v +
           terms[4] * (v * v - 1.0 / 3.0);
}

double UnevenResponse::rms() const {
    // Mean squares over the square: u^2 1/3, (u^2 - 1/3)^2 4/45, (u v)^2 1/9; u^2 - 1/3 and v^2 - 1/3 are orthogonal, as all others.
    return std::sqrt((terms[0] * terms[0] + terms[1] * terms[1]) / 3.0 +
                     (terms[2] * terms[2] + terms[4] * terms[4]) * 4.0 / 45.0 +
                     terms[3] * terms[3] / 9.0);
}

std::optional<UnevenResponse> fitUnevenResponse(std::span<const ResponsePoint> points,
                                                bool freeColour) {
    if (points.size() < kFewestForResponse) {
        return std::nullopt;
    }
    const UnevenSolution uneven = solveResponse(points, freeColour, true);
    if (!(solveResponse(points, freeColour, false).chiSquare - uneven.chiSquare > kLessChiSquare)) {
        return std::nullopt;
    }
    UnevenResponse response;
    for (int i = 0; i < 5; ++i) {
        response.terms[static_cast<std::size_t>(i)] = uneven.parameters[2 + i];
    }
    return response.rms() < kLeastRms ? std::nullopt : std::optional(response);
}

} // namespace pathmark::solve
