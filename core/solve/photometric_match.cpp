#include "core/solve/photometric_match.h"

#include "core/base/robust.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::solve {
namespace {

struct Point {
    double colour; ///< from the reference colour
    double zero;   ///< magnitude + 2.5 log10(rate)
    double sigma;
    std::array<double, 2> place{}; ///< -1 to 1 over the frame
    bool used = true;
};

/// Straight line through the used points.
struct Line {
    double constant = 0.0;
    double slope = 0.0;
    double constantError = 0.0;
};

Line fitLine(const std::vector<Point>& points, bool freeSlope) {
    double s = 0.0;
    double sx = 0.0;
    double sy = 0.0;
    double sxx = 0.0;
    double sxy = 0.0;
    for (const Point& p : points) {
        if (!p.used) {
            continue;
        }
        const double w = 1.0 / (p.sigma * p.sigma);
        s += w;
        sx += w * p.colour;
        sy += w * p.zero;
        sxx += w * p.colour * p.colour;
        sxy += w * p.colour * p.zero;
    }
    const double determinant = s * sxx - sx * sx;
    if (!freeSlope || determinant <= 1e-9 * s * s) {
        return {sy / s, 0.0, 1.0 / std::sqrt(s)};
    }
    return {(sxx * sy - sx * sxy) / determinant,
            (s * sxy - sx * sy) / determinant,
            std::sqrt(sxx / determinant)};
}

double typicalSigma(const std::vector<Point>& points) {
    std::vector<double> sigmas;
    sigmas.reserve(points.size());
    for (const Point& p : points) {
        sigmas.push_back(p.sigma);
    }
    return medianInPlace(std::span(sigmas));
}

/// What a star must be to count; where too few are, less will do.
struct Demand {
    double snr;
    bool coloured;
    bool alone;
    std::size_t enough; ///< with so many the next need not be asked
};

constexpr std::array<Demand, 4> kDemands{
    {{15.0, true, true, 8}, {6.0, true, true, 5}, {6.0, false, true, 5}, {6.0, false, false, 3}}};
constexpr std::size_t kFewest = 3;
/// Star-to-star scatter of the band transformation and of variable stars, magnitudes.
constexpr double kStarScatter = 0.02;
/// Of the colours of stars about the usual one, where the catalogue has none.
constexpr double kColourScatter = 0.35;
/// Two stars that stand closer than their width are one source: what the catalogue has beside a star counts from here on, over its light.
constexpr double kMuchBeside = 0.02;
/// What a neighbour does to a star's light, magnitudes.
constexpr double kBlendScatter = 0.10;

/// By how much a magnitude in the band may be off for want of the star's colour; a camera's own colour term is as much.
double unknownColourError(catalog::Band band, double magG) {
    const double redder = catalog::toBand(band, magG, kReferenceColour + kColourScatter);
    const double bluer = catalog::toBand(band, magG, kReferenceColour - kColourScatter);
    return std::hypot(0.5 * (redder - bluer), 0.1 * kColourScatter);
}

std::array<double, 2> onFrame(double x, double y, const FrameSize& size) {
    return {2.0 * (x + 0.5) / size.width - 1.0, 2.0 * (y + 0.5) / size.height - 1.0};
}

std::vector<Point> pointsFor(const detect::Detection& detection,
                             const Solution& solution,
                             const FrameSize& size,
                             catalog::Band band,
                             double exposureSeconds,
                             const Demand& demand) {
    constexpr std::uint32_t bad =
        detect::kSaturated | detect::kSharp | detect::kExtended | detect::kPoorFit;
    std::vector<Point> points;
    for (const MatchedStar& match : solution.matched) {
        const detect::Source& s = detection.sources[match.source];
        const bool isBlended = (s.flags & detect::kBlended) != 0 || match.beside > kMuchBeside;
        if ((s.flags & bad) != 0 || s.snr < demand.snr || (isBlended && demand.alone)) {
            continue;
        }
        const bool hasColour = std::isfinite(match.star.colour) && match.star.colour >= 0.0 &&
                               match.star.colour <= 2.5;
        if (!hasColour && demand.coloured) {
            continue;
        }
        const double colour = hasColour ? match.star.colour : kReferenceColour;
        double sigma = std::hypot(1.0857 / s.snr, kStarScatter);
        if (!hasColour) {
            sigma = std::hypot(sigma, unknownColourError(band, match.star.magG));
        }
        if (isBlended) {
            sigma = std::hypot(sigma, kBlendScatter, 2.5 * std::log10(1.0 + match.beside));
        }
        points.push_back({colour - kReferenceColour,
                          catalog::toBand(band, match.star.magG, colour) +
                              2.5 * std::log10(s.flux / exposureSeconds),
                          sigma,
                          onFrame(s.x, s.y, size)});
    }
    return points;
}

/// Straight line through the points, those left out that do not lie on it.
struct ClippedLine {
    Line line;
    double scatter = 0.0;
    int used = 0;
};

ClippedLine fitClipped(std::vector<Point>& points, bool freeSlope) {
    ClippedLine fit;
    for (int round = 0; round < 8; ++round) {
        if (std::none_of(points.begin(), points.end(), [](const Point& p) { return p.used; })) {
            break;
        }
        fit.line = fitLine(points, freeSlope);
        std::vector<double> residuals;
        for (const Point& p : points) {
            if (p.used) {
                residuals.push_back(p.zero - fit.line.constant - fit.line.slope * p.colour);
            }
        }
        fit.scatter = medianAndDeviation(residuals).sigma;
        fit.used = 0;
        for (Point& p : points) {
            const double residual =
                std::abs(p.zero - fit.line.constant - fit.line.slope * p.colour);
            p.used = residual < 3.5 * std::max(fit.scatter, p.sigma);
            fit.used += p.used ? 1 : 0;
        }
    }
    return fit;
}

/// What of a scatter the points' own errors do not explain.
double unexplainedBy(const std::vector<Point>& points, double scatter) {
    const double typical = typicalSigma(points);
    return std::sqrt(std::max(0.0, scatter * scatter - typical * typical));
}

/// The response over the frame, taken off the points; even where they do not prove it.
UnevenResponse takeOffResponse(std::vector<Point>& points, const ClippedLine& clipped, bool free) {
    const double unexplained = unexplainedBy(points, clipped.scatter);
    std::vector<ResponsePoint> used;
    for (const Point& p : points) {
        if (p.used) {
            used.push_back(
                {p.place[0], p.place[1], p.colour, p.zero, std::hypot(p.sigma, unexplained)});
        }
    }
    const auto response = fitUnevenResponse(used, free);
    if (!response) {
        return {};
    }
    for (Point& p : points) {
        p.zero -= response->at(p.place[0], p.place[1]);
        p.used = true;
    }
    return *response;
}

} // namespace

Result<PhotometricMatch> matchPhotometry(const detect::Detection& detection,
                                         const Solution& solution,
                                         const FrameSize& size,
                                         catalog::Band band,
                                         double exposureSeconds) {
    if (!(exposureSeconds > 0.0)) {
        return fail(ErrorId::SolveTooFewStars, "Without an exposure time there is no zero point.");
    }
    std::vector<Point> points;
    for (const Demand& demand : kDemands) {
        points = pointsFor(detection, solution, size, band, exposureSeconds, demand);
        if (points.size() >= demand.enough) {
            break;
        }
    }
    if (points.size() < kFewest) {
        return fail(ErrorId::SolveTooFewStars,
                    "Fewer than three unsaturated stars whose brightness is known; no zero point.");
    }
    const bool freeSlope = points.size() >= 20;
    ClippedLine clipped = fitClipped(points, freeSlope);
    const UnevenResponse uneven = takeOffResponse(points, clipped, freeSlope);
    if (!uneven.isEven()) {
        clipped = fitClipped(points, freeSlope);
    }
    if (static_cast<std::size_t>(clipped.used) < kFewest || !std::isfinite(clipped.line.constant)) {
        return fail(ErrorId::SolveTooFewStars,
                    "No three stars agree about the frame's zero point; is the solution right?");
    }
    PhotometricMatch result;
    result.band = band;
    result.uneven = uneven;
    // Where stars scatter by more than their errors, that is in each of them, and in a body: none counts for more than it allows.
    result.unexplained = unexplainedBy(points, clipped.scatter);
    for (Point& p : points) {
        p.sigma = std::hypot(p.sigma, result.unexplained);
    }
    const Line line = fitLine(points, freeSlope);
    result.zeroPoint = line.constant;
    // Few stars say little of their own scatter.
    result.zeroPointError = line.constantError * (clipped.used < 5 ? 1.5 : 1.0);
    result.colourTerm = line.slope;
    result.scatter = clipped.scatter;
    result.usedStars = clipped.used;
    const double noise = detection.sky.typicalNoise();
    const double electrons = 5.0 * noise / std::sqrt(detection.spread.middle().squareSum());
    result.limitingMag = toMagnitude(result, electrons, exposureSeconds, kReferenceColour);
    const double scale = solution.wcs.scaleArcsec();
    const double sky = std::max(detection.sky.typicalLevel(), 1e-3) / (scale * scale);
    result.skyBrightness = toMagnitude(result, sky, exposureSeconds, kReferenceColour);
    return result;
}

PhotometricMatch PhotometricMatch::about(frame::PixelPos pixel, const FrameSize& size) const {
    PhotometricMatch local = *this;
    if (!uneven.isEven()) {
        constexpr double quadratic =
            2.0; // six parameters know a place about half as well as one knows the mean
        const auto [u, v] = onFrame(pixel.x, pixel.y, size);
        local.zeroPoint += uneven.at(std::clamp(u, -1.0, 1.0), std::clamp(v, -1.0, 1.0));
        local.zeroPointError *= quadratic;
        local.uneven = {};
    }
    return local;
}

double toMagnitude(const PhotometricMatch& match,
                   double electrons,
                   double exposureSeconds,
                   double colour) {
    return match.zeroPoint - 2.5 * std::log10(electrons / exposureSeconds) +
           match.colourTerm * (colour - kReferenceColour);
}

double toElectrons(const PhotometricMatch& match,
                   double magnitude,
                   double exposureSeconds,
                   double colour) {
    const double plain = magnitude - match.colourTerm * (colour - kReferenceColour);
    return exposureSeconds * std::pow(10.0, 0.4 * (match.zeroPoint - plain));
}

} // namespace pathmark::solve
