#include "core/solve/photometric_match.h"

#include "core/base/robust.h"

#include <algorithm>
#include <cmath>

namespace pathmark::solve {
namespace {

struct Point {
    double colour; ///< from the reference colour
    double zero;   ///< magnitude + 2.5 log10(rate)
    double sigma;
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

} // namespace

Result<PhotometricMatch> matchPhotometry(const detect::Detection& detection,
                                         const Solution& solution,
                                         catalog::Band band,
                                         double exposureSeconds) {
    constexpr std::uint32_t bad = detect::kSaturated | detect::kBlended | detect::kSharp |
                                  detect::kExtended | detect::kPoorFit;
    std::vector<Point> points;
    for (const MatchedStar& match : solution.matched) {
        const detect::Source& s = detection.sources[match.source];
        if ((s.flags & bad) != 0 || s.snr < 15.0 || !std::isfinite(match.star.colour) ||
            match.star.colour < 0.0 || match.star.colour > 2.5 || exposureSeconds <= 0.0) {
            continue;
        }
        const double magnitude = catalog::toBand(band, match.star.magG, match.star.colour);
        // 0.02 mag: star-to-star scatter of the band transformation and of variable stars.
        points.push_back({match.star.colour - kReferenceColour,
                          magnitude + 2.5 * std::log10(s.flux / exposureSeconds),
                          std::hypot(1.0857 / s.snr, 0.02)});
    }
    if (points.size() < 5) {
        return fail(ErrorId::SolveTooFewStars,
                    "Fewer than five unsaturated stars with known colours; no zero point.");
    }
    const bool freeSlope = points.size() >= 20;
    Line line;
    double scatter = 0.0;
    int used = 0;
    for (int round = 0; round < 8; ++round) {
        line = fitLine(points, freeSlope);
        std::vector<double> residuals;
        for (const Point& p : points) {
            if (p.used) {
                residuals.push_back(p.zero - line.constant - line.slope * p.colour);
            }
        }
        scatter = medianAndDeviation(residuals).sigma;
        used = 0;
        for (Point& p : points) {
            const double residual = std::abs(p.zero - line.constant - line.slope * p.colour);
            p.used = residual < 3.5 * std::max(scatter, p.sigma);
            used += p.used ? 1 : 0;
        }
    }
    PhotometricMatch result;
    result.band = band;
    result.zeroPoint = line.constant;
    result.zeroPointError = line.constantError;
    result.colourTerm = line.slope;
    result.scatter = scatter;
    result.usedStars = used;
    const double noise = detection.sky.typicalNoise();
    const double electrons = 5.0 * noise / std::sqrt(detection.spread.middle().squareSum());
    result.limitingMag = toMagnitude(result, electrons, exposureSeconds, kReferenceColour);
    const double scale = solution.wcs.scaleArcsec();
    const double sky = std::max(detection.sky.typicalLevel(), 1e-3) / (scale * scale);
    result.skyBrightness = toMagnitude(result, sky, exposureSeconds, kReferenceColour);
    return result;
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
