#include "core/solve/wcs_fit.h"

#include "core/frame/wcs_polynomial.h"
#include "core/solve/plane_surface.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace pathmark::solve {
namespace {

using frame::PixelPos;
using frame::SipPolynomial;
using frame::Wcs;

/// The solution that a surface is; the constant term must be negligible.
Wcs toWcs(const Surface& s, double unit, const SkyPos& tangentPoint, PixelPos middle) {
    const auto terms = static_cast<std::size_t>(termCount(s.model.order));
    Wcs wcs = frame::wcsOf(
        {s.model.order, unit, std::span(s.xi.data(), terms), std::span(s.eta.data(), terms)},
        tangentPoint,
        middle);
    if (s.model.radial()) {
        const double cubic = s.cubic / (unit * unit);
        wcs.a = SipPolynomial(3);
        wcs.b = SipPolynomial(3);
        wcs.a.setCoefficient(3, 0, cubic);
        wcs.a.setCoefficient(1, 2, cubic);
        wcs.b.setCoefficient(2, 1, cubic);
        wcs.b.setCoefficient(0, 3, cubic);
    }
    return wcs;
}

std::vector<SurfacePoint> prepare(std::span<const StarPair> pairs,
                                  const SkyPos& tangentPoint,
                                  PixelPos middle,
                                  double unit,
                                  double radiansPerPixel) {
    std::vector<SurfacePoint> points;
    points.reserve(pairs.size());
    for (const StarPair& pair : pairs) {
        const PlanePos plane = toTangentPlane(tangentPoint, pair.sky);
        const double sigma = pair.sigmaPixels * radiansPerPixel;
        SurfacePoint point;
        point.u = (pair.pixel.x - middle.x) / unit;
        point.v = (pair.pixel.y - middle.y) / unit;
        point.xi = plane.xi;
        point.eta = plane.eta;
        point.weight = 1.0 / (sigma * sigma);
        point.colour = std::isfinite(pair.colour)
                           ? std::clamp(pair.colour, -0.5, 3.5) - kReferenceColour
                           : 0.0;
        point.fold = static_cast<std::uint8_t>(points.size() % 5);
        points.push_back(point);
    }
    return points;
}

/// What a lens usually moves a star by at the middle of a long side, one standard deviation: about twice as much in the corner.
constexpr double kUsualCubicPixels = 1.0;

/// No pair of few is taken for better than this at first.
constexpr double kEvenPixels = 0.1;

constexpr double kSignificant =
    8.0; ///< sigma of the chi-square that terms take away by chance, which one frame of thousands has

SurfaceModel polynomial(int order) {
    return {order, false, 0.0};
}

// Beyond so many pairs full polynomials are as good as the lens's one number.
constexpr std::ptrdiff_t kFewPairs = 100;

std::ptrdiff_t usedCount(const std::vector<SurfacePoint>& points) {
    return std::count_if(
        points.begin(), points.end(), [](const SurfacePoint& p) { return p.used; });
}

/// True where stars of other colours stand elsewhere by more than chance.
bool showsColour(const std::vector<SurfacePoint>& points, int order) {
    const auto coloured = std::count_if(points.begin(), points.end(), [](const SurfacePoint& p) {
        return p.used && p.colour != 0.0;
    });
    if (coloured < 40) {
        return false;
    }
    SurfaceModel model = polynomial(order);
    model.colour = true;
    const Surface surface = solveSurface(points, model);
    const Eigen::MatrixXd covariance = covarianceOf(points, model);
    const Eigen::Index last = model.terms() - 1;
    const double square =
        surface.xi[last] * surface.xi[last] + surface.eta[last] * surface.eta[last];
    return square > 2.0 * 16.0 * covariance(last, last) &&
           crossValidate(points, model) < 0.998 * crossValidate(points, polynomial(order));
}

double missedSquares(const std::vector<SurfacePoint>& points, const SurfaceModel& model) {
    const Surface surface = solveSurface(points, model);
    double sum = 0.0;
    for (const SurfacePoint& point : points) {
        sum += point.used ? surface.residualSquare(point) : 0.0;
    }
    return sum;
}

/// True where a polynomial fits by more than chance better than a simpler model: a few left-out bright pairs are enough to make any seem
/// to predict well.
bool isSignificant(const std::vector<SurfacePoint>& points,
                   const SurfaceModel& simple,
                   const SurfaceModel& rich) {
    const double missed = missedSquares(points, rich);
    const double gain = missedSquares(points, simple) - missed;
    const double terms = 2.0 * (rich.terms() - simple.terms());
    const double freedom = 2.0 * static_cast<double>(usedCount(points) - rich.terms());
    const double spread = std::max(1.0, missed / std::max(1.0, freedom));
    return gain > spread * (terms + kSignificant * std::sqrt(2.0 * terms));
}

/// `lens`: what a few pairs may be fitted by, whatever they show: what they leave open of it is in the errors.
SurfaceModel chooseModel(const std::vector<SurfacePoint>& points,
                         const std::optional<SurfaceModel>& lens,
                         int maxOrder) {
    static constexpr std::array<int, 6> needed{0, 4, 12, 25, 60, 120};
    const auto n = usedCount(points);
    SurfaceModel best = lens && n < kFewPairs ? *lens : SurfaceModel{};
    double bestError = n >= 8 ? crossValidate(points, best) : 0.0;
    for (int order = 2; order <= maxOrder && n >= needed[static_cast<std::size_t>(order)];
         ++order) {
        const double error = crossValidate(points, polynomial(order));
        // A higher degree must earn its terms.
        if (error < 0.995 * bestError && isSignificant(points, best, polynomial(order))) {
            bestError = error;
            best = polynomial(order);
        }
    }
    // Where no polynomial is seen, a lens may still bend by less than the pairs show: by what they leave open, in the errors.
    const bool isPlain = best.order == 1 && !best.radial();
    return isPlain && lens && !showsColour(points, 1) ? *lens : best;
}

/// A first clip among few pairs, where a bright wrong one would bend everything to itself by its weight: none counts for much more than
/// the others.
void clipFew(std::vector<SurfacePoint>& points, const SurfaceModel& lens, double radiansPerPixel) {
    const double sigma = kEvenPixels * radiansPerPixel;
    std::vector<SurfacePoint> even = points;
    for (SurfacePoint& point : even) {
        point.weight = std::min(point.weight, 1.0 / (sigma * sigma));
    }
    clipAndSolve(even, lens);
    for (std::size_t i = 0; i < points.size(); ++i) {
        points[i].used = even[i].used;
    }
}

} // namespace

double SolutionError::at(frame::PixelPos pixel) const {
    if (covariance.empty()) {
        return 0.0;
    }
    TermRow row{};
    const int n = monomials((pixel.x - middle.x) / unit, (pixel.y - middle.y) / unit, order, row);
    double sum = 0.0;
    for (int j = 0; j < n; ++j) {
        for (int i = 0; i < n; ++i) {
            sum += row[static_cast<std::size_t>(i)] * row[static_cast<std::size_t>(j)] *
                   covariance[static_cast<std::size_t>(j * n + i)];
        }
    }
    if (cubic.size() == 10) {
        const double u = row[1];
        const double v = row[2];
        const std::array<double, 5> power{1.0, u, v, u * (u * u + v * v), v * (u * u + v * v)};
        for (std::size_t axis = 0; axis < 2; ++axis) {
            double shift = 0.0;
            for (std::size_t k = 0; k < 5; ++k) {
                shift += cubic[5 * axis + k] * power[k];
            }
            sum += 0.5 * shift * shift;
        }
    }
    return std::sqrt(std::max(0.0, sum));
}

Result<WcsFit> fitWcs(std::span<const StarPair> pairs, int width, int height, int maxOrder) {
    if (pairs.size() < 4) {
        return fail(ErrorId::SolveTooFewStars, "Fewer than four stars to fit the sky to.");
    }
    const PixelPos middle{0.5 * (width - 1), 0.5 * (height - 1)};
    const double unit = 0.5 * std::max(width, height);
    // The linear scale, to weigh pixels against the plane, comes from a first plain fit.
    SkyPos tangentPoint = pairs.front().sky;
    auto points = prepare(pairs, tangentPoint, middle, unit, 1.0);
    Surface surface = solveSurface(points, SurfaceModel{});
    const double radiansPerPixel =
        std::sqrt(std::abs(surface.xi[1] * surface.eta[2] - surface.xi[2] * surface.eta[1])) / unit;
    // A wrong pair bends a full polynomial of few pairs to itself; a lens's one number it cannot.
    const bool isFew = static_cast<std::ptrdiff_t>(pairs.size()) < kFewPairs;
    std::optional<SurfaceModel> lens;
    if (maxOrder >= 3) {
        lens = SurfaceModel{1, false, kUsualCubicPixels / unit};
    }
    SurfaceModel model;
    for (int round = 0; round < 3; ++round) {
        tangentPoint = fromTangentPlane(tangentPoint, {surface.xi[0], surface.eta[0]});
        points = prepare(pairs, tangentPoint, middle, unit, radiansPerPixel);
        if (lens && isFew) {
            clipFew(points, *lens, radiansPerPixel);
        } else {
            clipAndSolve(points, polynomial(isFew ? 1 : std::min(3, maxOrder)));
        }
        // The tangent point moves by a pixel or so between the rounds: what the second chose holds.
        model = round < 2 ? chooseModel(points, lens, maxOrder) : model;
        model.colour = round > 0 && !model.radial() && showsColour(points, model.order);
        surface = clipAndSolve(points, model);
    }
    WcsFit fit;
    fit.order = model.radial() ? 3 : model.order;
    // Whatever constant is left (1e-12 or so) goes into the tangent point.
    tangentPoint = fromTangentPlane(tangentPoint, {surface.xi[0], surface.eta[0]});
    fit.wcs = toWcs(surface, unit, tangentPoint, middle);
    if (model.colour) {
        fit.colourShift = {surface.xi[model.terms() - 1], surface.eta[model.terms() - 1]};
    }
    double chi = 0.0;
    double squares = 0.0;
    double weights = 0.0;
    for (std::size_t i = 0; i < pairs.size(); ++i) {
        fit.kept.push_back(points[i].used);
        if (points[i].used) {
            ++fit.used;
            weights += 1.0 / (pairs[i].sigmaPixels * pairs[i].sigmaPixels);
            const double square = surface.residualSquare(points[i]);
            chi += square;
            squares += square / points[i].weight;
        }
    }
    const int terms = termCount(model.order);
    const int freedom = 2 * fit.used - 2 * model.terms() - (model.radial() ? 1 : 0);
    fit.chiSquare = freedom > 0 ? chi / freedom : 0.0;
    const double inflation = std::max(1.0, fit.chiSquare);
    // Mean variance of a least-squares surface: terms over the sum of weights.
    fit.placeErrorPixels = std::sqrt(terms / std::max(weights, 1e-9) * inflation);
    const Eigen::MatrixXd covariance = covarianceOf(points, model);
    fit.error = {model.order, unit, middle, {}, {}};
    for (int j = 0; j < terms; ++j) {
        for (int i = 0; i < terms; ++i) {
            fit.error.covariance.push_back(covariance(j, i) * inflation /
                                           (radiansPerPixel * radiansPerPixel));
        }
    }
    if (model.radial()) {
        const double scale = std::sqrt(surface.cubicVariance * inflation) / radiansPerPixel;
        for (const auto& [through, linear] :
             {std::pair{&surface.cubicXi, &surface.xi}, {&surface.cubicEta, &surface.eta}}) {
            for (const double term :
                 {-(*through)[0], -(*through)[1], -(*through)[2], (*linear)[1], (*linear)[2]}) {
                fit.error.cubic.push_back(scale * term);
            }
        }
    }
    fit.rmsArcsec = Angle::radians(std::sqrt(squares / (2.0 * std::max(1, fit.used)))).arcsec();
    return fit;
}

} // namespace pathmark::solve
