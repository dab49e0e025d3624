#include "core/orbit/determine/ranging.h"

#include "core/base/linear.h"
#include "core/base/parallel.h"
#include "core/orbit/determine/normal_points.h"
#include "core/orbit/motion/kepler.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {
namespace {

/// Each cell of the grid is fitted to all places: of a long night those near in time are put together.
constexpr std::size_t kMostPoints = 8;

/// Place and motion on the sky in the tangent plane of one direction: xi, eta, radians, and a day.
using SkyMotion = Eigen::Vector4d;

/// What all cells share.
struct Arc {
    std::span<const Sighting> sightings;
    std::size_t middle = 0; ///< sighting at which the body is put at a distance
    SkyPos centre;
    Vec3 line{};
    Vec3 east{};
    Vec3 north{};

    [[nodiscard]] const Observer& observer() const { return sightings[middle].observer; }
};

Arc arcOf(std::span<const Sighting> sightings) {
    Arc arc;
    arc.sightings = sightings;
    arc.middle = sightings.size() / 2;
    arc.centre = sightings[arc.middle].sky;
    arc.line = arc.centre.vector();
    const double ra = arc.centre.longitude.radians();
    arc.east = {-std::sin(ra), std::cos(ra), 0.0};
    arc.north = cross(arc.line, arc.east);
    return arc;
}

/// Straight motion through the places: where the fits start.
SkyMotion straightMotion(const Arc& arc) {
    Eigen::Matrix2d n = Eigen::Matrix2d::Zero();
    Eigen::MatrixXd right = Eigen::MatrixXd::Zero(2, 2);
    for (const Sighting& s : arc.sightings) {
        const double t = daysBetween(arc.observer().tdb, s.observer.tdb);
        const PlanePos p = toTangentPlane(arc.centre, s.sky);
        const Eigen::Vector2d base(1.0, t);
        n += base * base.transpose();
        right.col(0) += base * p.xi;
        right.col(1) += base * p.eta;
    }
    const Eigen::MatrixXd fit = solveSymmetric(n, right);
    return {fit(0, 0), fit(0, 1), fit(1, 0), fit(1, 1)};
}

/// Heliocentric state at the emission from the middle sighting.
StateVector stateFrom(const Arc& arc, const SkyMotion& m, double distance, double rate) {
    // u = (line + xi east + eta north) / length, and its change.
    const Vec3 ray = arc.line + m[0] * arc.east + m[1] * arc.north;
    const Vec3 rayRate = m[2] * arc.east + m[3] * arc.north;
    const double length = norm(ray);
    const Vec3 u = (1.0 / length) * ray;
    const Vec3 uRate = (1.0 / length) * (rayRate - dot(rayRate, u) * u);
    const Observer& o = arc.observer();
    StateVector s;
    s.position = o.place - o.sunPlace + distance * u;
    s.velocity = o.velocity + rate * u + distance * uRate;
    // The observer's velocity is barycentric; the Sun's own, 15 m/s, is far below what a short arc can feel.
    return s;
}

double
chiSquareOf(const Arc& arc, const StateVector& state, double distance, Eigen::VectorXd& residuals) {
    residuals.resize(static_cast<Eigen::Index>(2 * arc.sightings.size()));
    const double light = distance / kLightAuPerDay;
    double reach = distance;
    for (std::size_t i = 0; i < arc.sightings.size(); ++i) {
        const Sighting& s = arc.sightings[i];
        const double days = daysBetween(arc.observer().tdb, s.observer.tdb) + light;
        Vec3 ray{};
        for (int k = 0; k < 2; ++k) {
            const auto body = propagateTwoBody(state, days - reach / kLightAuPerDay);
            ray = body.position + s.observer.sunPlace - s.observer.place;
            reach = norm(ray);
        }
        const PlanePos off = toTangentPlane(SkyPos::fromVector(ray), s.sky);
        const auto at = static_cast<Eigen::Index>(2 * i);
        residuals[at] = (std::isnan(off.xi) ? 1.0 : off.xi) / s.sigmaXi;
        residuals[at + 1] = (std::isnan(off.eta) ? 1.0 : off.eta) / s.sigmaEta;
    }
    return residuals.squaredNorm();
}

/// What the residuals change by with the motion on the sky.
Eigen::MatrixXd slopesAt(const Arc& arc,
                         const SkyMotion& motion,
                         double distance,
                         double rate,
                         const Eigen::VectorXd& residuals) {
    const double span = std::max(
        0.01, daysBetween(arc.sightings.front().observer.tdb, arc.sightings.back().observer.tdb));
    Eigen::MatrixXd slopes(residuals.size(), 4);
    Eigen::VectorXd aside;
    for (Eigen::Index k = 0; k < 4; ++k) {
        const double step = k < 2 ? 1e-7 : 1e-7 / span;
        SkyMotion moved = motion;
        moved[k] += step;
        chiSquareOf(arc, stateFrom(arc, moved, distance, rate), distance, aside);
        slopes.col(k) = (aside - residuals) / step;
    }
    return slopes;
}

/// Least squares over the motion on the sky at one distance and rate, from `motion` on.
RangingCell fitCell(const Arc& arc, SkyMotion& motion, double distance, double rate) {
    Eigen::VectorXd r;
    Eigen::VectorXd aside;
    double chi = chiSquareOf(arc, stateFrom(arc, motion, distance, rate), distance, r);
    for (int round = 0; round < 4; ++round) {
        const SkyMotion next = motion - leastSquares(slopesAt(arc, motion, distance, rate, r), r);
        const double nextChi =
            chiSquareOf(arc, stateFrom(arc, next, distance, rate), distance, aside);
        if (!(nextChi < chi)) {
            break;
        }
        const bool settled = chi - nextChi < 1e-3;
        motion = next;
        chi = nextChi;
        r = aside;
        if (settled) {
            break;
        }
    }
    return {distance, rate, chi, stateFrom(arc, motion, distance, rate)};
}

bool bound(const StateVector& s) {
    return dot(s.velocity, s.velocity) < 2.0 * kSunGm / norm(s.position);
}

struct Range {
    double low = 0.0;
    double high = 0.0;
};

std::vector<RangingCell> grid(const Arc& arc,
                              const SkyMotion& start,
                              const RangingOptions& options,
                              Range logDistance,
                              Range rate) {
    const auto columns = static_cast<std::size_t>(options.rates);
    std::vector<std::optional<RangingCell>> cells(static_cast<std::size_t>(options.distances) *
                                                  columns);
    parallelFor(cells.size(), [&](std::size_t i) {
        const std::size_t row = i / columns;
        const double a = static_cast<double>(row) / (options.distances - 1);
        const double b = static_cast<double>(i - row * columns) / (options.rates - 1);
        const double distance =
            std::exp(logDistance.low + a * (logDistance.high - logDistance.low));
        const double speed = rate.low + b * (rate.high - rate.low);
        if (bound(stateFrom(arc, start, distance, speed))) {
            SkyMotion motion = start;
            const RangingCell cell = fitCell(arc, motion, distance, speed);
            if (bound(cell.state)) {
                cells[i] = cell;
            }
        }
    });
    std::vector<RangingCell> list;
    for (const auto& cell : cells) {
        if (cell && std::isfinite(cell->chiSquare)) {
            list.push_back(*cell);
        }
    }
    std::stable_sort(list.begin(), list.end(), [](const RangingCell& a, const RangingCell& b) {
        return a.chiSquare < b.chiSquare;
    });
    return list;
}

void keepBest(std::vector<RangingCell>& cells, double above) {
    std::erase_if(cells, [limit = cells.front().chiSquare + above](const RangingCell& c) {
        return c.chiSquare > limit;
    });
}

/// See OrbitCloud::aside.
std::vector<StateVector> asideOf(const Arc& arc, SkyMotion motion, const RangingCell& best) {
    fitCell(arc, motion, best.distanceAu, best.auPerDay);
    Eigen::VectorXd residuals;
    chiSquareOf(arc, best.state, best.distanceAu, residuals);
    const Eigen::MatrixXd slopes = slopesAt(arc, motion, best.distanceAu, best.auPerDay, residuals);
    const PrincipalAxes axes =
        principalAxesOf(inverseOfSymmetric(productOf(slopes.transpose(), slopes)));
    std::vector<StateVector> states;
    for (Eigen::Index k = 0; k < 4; ++k) {
        const SkyMotion moved =
            motion + std::sqrt(std::max(0.0, axes.values[k])) * SkyMotion(axes.vectors.col(k));
        states.push_back(propagateTwoBody(stateFrom(arc, moved, best.distanceAu, best.auPerDay),
                                          best.distanceAu / kLightAuPerDay));
    }
    return states;
}

/// Seen from a place so many days after the state; two bodies.
SkyPos directionOf(const StateVector& state, double days, const Observer& observer) {
    Vec3 ray{};
    double light = 0.0;
    for (int k = 0; k < 3; ++k) {
        const auto body = propagateTwoBody(state, days - light);
        ray = body.position + observer.sunPlace - observer.place;
        light = norm(ray) / kLightAuPerDay;
    }
    return SkyPos::fromVector(ray);
}

} // namespace

Result<OrbitCloud> rangeSystematically(std::span<const Sighting> sightings,
                                       const RangingOptions& options) {
    if (sightings.size() < 2) {
        return fail(ErrorId::OrbitTooFewObservations,
                    "Even a cloud of orbits needs two places on the sky.");
    }
    const auto points = normalPoints(sightings, kMostPoints);
    const Arc arc = arcOf(points);
    const SkyMotion start = straightMotion(arc);
    // Escape speed near the Sun and the Earth's own speed: no bound body recedes faster.
    constexpr double mostRate = 0.06;
    const Range distances{std::log(options.nearestAu), std::log(options.farthestAu)};
    auto cells = grid(arc, start, options, distances, {-mostRate, mostRate});
    if (cells.empty()) {
        return fail(ErrorId::OrbitNotDetermined,
                    "No orbit about the Sun agrees with these places; are they of one body?");
    }
    // The first grid may be coarser than the region: its neighbours are looked at again.
    keepBest(cells, 10.0 * options.above);
    const double stepDistance = (distances.high - distances.low) / (options.distances - 1);
    const double stepRate = 2.0 * mostRate / (options.rates - 1);
    Range near{std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity()};
    Range speed = near;
    for (const RangingCell& c : cells) {
        near = {std::min(near.low, std::log(c.distanceAu) - stepDistance),
                std::max(near.high, std::log(c.distanceAu) + stepDistance)};
        speed = {std::min(speed.low, c.auPerDay - stepRate),
                 std::max(speed.high, c.auPerDay + stepRate)};
    }
    cells = grid(arc, start, options, near, speed);
    keepBest(cells, options.above);
    OrbitCloud cloud;
    cloud.epoch = arc.observer().tdb;
    cloud.leastChiSquare = cells.front().chiSquare;
    cloud.aside = asideOf(arc, start, cells.front());
    for (RangingCell& c : cells) {
        c.state = propagateTwoBody(c.state, c.distanceAu / kLightAuPerDay);
    }
    cloud.cells = std::move(cells);
    return cloud;
}

std::vector<SkyPos> directionsOf(const OrbitCloud& cloud, const Observer& observer) {
    std::vector<SkyPos> places;
    places.reserve(cloud.cells.size());
    const double days = daysBetween(cloud.epoch, observer.tdb);
    for (const RangingCell& c : cloud.cells) {
        places.push_back(directionOf(c.state, days, observer));
    }
    return places;
}

std::vector<SkyPos> directionsAside(const OrbitCloud& cloud, const Observer& observer) {
    std::vector<SkyPos> places;
    const double days = daysBetween(cloud.epoch, observer.tdb);
    for (const StateVector& state : cloud.aside) {
        places.push_back(directionOf(state, days, observer));
    }
    return places;
}

} // namespace pathmark::orbit
