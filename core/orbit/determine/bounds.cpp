#include "core/orbit/determine/bounds.h"

#include "core/orbit/determine/orbit_family.h"
#include "core/orbit/motion/trajectory.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

namespace pathmark::orbit {
namespace {

/// 95 % of one dimension.
constexpr double kNinetyFive = 1.96;

/// An orbit moved by one standard deviation along each axis of its covariance, one way and the other.
struct Step {
    Elements plus;
    Elements minus;
};

std::vector<Step> stepsOf(const OrbitFit& fit) {
    const OrbitFamily family(fit.elements, fit.orbit.epoch, fit.orbit.state, fit.orbit.covariance);
    std::vector<Step> steps;
    for (std::size_t k = 0; k < OrbitFamily::kAxes; ++k) {
        OrbitFamily::Sigmas one{};
        one[k] = 1.0;
        OrbitFamily::Sigmas other{};
        other[k] = -1.0;
        steps.push_back({family.at(one), family.at(other)});
    }
    return steps;
}

/// Half the difference of what a step to both sides gives; angles the short way round.
double halfTurn(Angle plus, Angle minus) {
    return 0.5 * std::remainder(plus.radians() - minus.radians(), 2.0 * std::numbers::pi);
}

Angle angleOf(double xi, double eta) {
    return normalised(Angle::radians(std::atan2(xi, eta)));
}

/// Where one place lies from another, along the arc between them: nearby as in the tangent plane, and defined all over the sky. The nearest
/// orbits of a cloud cross it within hours.
///
/// Source   Calabretta & Greisen 2002, A&A 395, 1077, section 5.1.5 (ARC)
PlanePos arcTo(const SkyPos& from, const SkyPos& to) {
    const Angle arc = separation(from, to);
    const double dra = to.longitude.radians() - from.longitude.radians();
    const double sinFrom = std::sin(from.latitude.radians());
    const double cosFrom = std::cos(from.latitude.radians());
    const double sinTo = std::sin(to.latitude.radians());
    const double cosTo = std::cos(to.latitude.radians());
    const double east = cosTo * std::sin(dra);
    const double north = sinTo * cosFrom - cosTo * sinFrom * std::cos(dra);
    const double length = std::hypot(east, north);
    return length > 0.0 ? PlanePos{arc.radians() * east / length, arc.radians() * north / length}
                        : PlanePos{};
}

/// The inverse of arcTo.
SkyPos arcFrom(const SkyPos& from, const PlanePos& arc) {
    const double length = std::hypot(arc.xi, arc.eta);
    if (!(length > 0.0)) {
        return from;
    }
    const Vec3 there = from.vector();
    const double ra = from.longitude.radians();
    const double dec = from.latitude.radians();
    const Vec3 east{-std::sin(ra), std::cos(ra), 0.0};
    const Vec3 north{-std::sin(dec) * std::cos(ra), -std::sin(dec) * std::sin(ra), std::cos(dec)};
    const Vec3 along = (arc.xi / length) * east + (arc.eta / length) * north;
    return SkyPos::fromVector(std::cos(length) * there + std::sin(length) * along);
}

} // namespace

Result<MotionBounds>
boundsOf(const OrbitFit& fit, const Planets& planets, const Observer& observer) {
    const auto placeOf = [&](const Elements& elements) -> Result<Place> {
        auto ephemeris = Ephemeris::make(elements, planets, observer.utc, observer.utc);
        if (!ephemeris) {
            return fail(ephemeris.error());
        }
        return ephemeris->at(observer);
    };
    auto middle = placeOf(fit.elements);
    if (!middle) {
        return fail(middle.error());
    }
    double xiXi = 0.0;
    double xiEta = 0.0;
    double etaEta = 0.0;
    double rate = 0.0;
    double angle = 0.0;
    for (const Step& step : stepsOf(fit)) {
        const auto plus = placeOf(step.plus);
        const auto minus = placeOf(step.minus);
        if (!plus || !minus) {
            return fail(plus ? minus.error() : plus.error());
        }
        const PlanePos a = toTangentPlane(middle->sky, plus->sky);
        const PlanePos b = toTangentPlane(middle->sky, minus->sky);
        const double xi = 0.5 * (a.xi - b.xi);
        const double eta = 0.5 * (a.eta - b.eta);
        xiXi += xi * xi;
        xiEta += xi * eta;
        etaEta += eta * eta;
        rate += std::pow(0.5 * (plus->rateArcsecPerMin() - minus->rateArcsecPerMin()), 2);
        angle += std::pow(halfTurn(plus->positionAngle(), minus->positionAngle()), 2);
    }
    MotionBounds bounds;
    bounds.time = observer.utc;
    bounds.sky = middle->sky;
    bounds.place = SkyEllipse::fromCovariance(xiXi, xiEta, etaEta);
    bounds.rateArcsecPerMin = middle->rateArcsecPerMin();
    bounds.leastRate = std::max(0.0, bounds.rateArcsecPerMin - kNinetyFive * std::sqrt(rate));
    bounds.mostRate = bounds.rateArcsecPerMin + kNinetyFive * std::sqrt(rate);
    bounds.positionAngle = middle->positionAngle();
    bounds.angleSpread = Angle::radians(std::min(std::numbers::pi, kNinetyFive * std::sqrt(angle)));
    bounds.magnitude = middle->magnitude;
    return bounds;
}

MotionBounds boundsOf(const OrbitCloud& cloud, const Planets& planets, const Observer& observer) {
    constexpr double stepSeconds = 300.0;
    Observer later = observer;
    later.utc = observer.utc.plusSeconds(stepSeconds);
    later.tdb = observer.tdb.plusSeconds(stepSeconds);
    later.place = observer.place + (stepSeconds / kSecondsPerDay) * observer.velocity;
    if (const auto sun = planets.sun(later.tdb)) {
        later.sunPlace = sun->position;
    }
    const auto now = directionsOf(cloud, observer);
    const auto then = directionsOf(cloud, later);
    MotionBounds bounds;
    bounds.time = observer.utc;
    bounds.sky = now.front(); // the best first
    double weights = 0.0;
    double xiMean = 0.0;
    double etaMean = 0.0;
    double xiRate = 0.0;
    double etaRate = 0.0;
    bounds.leastRate = std::numeric_limits<double>::infinity();
    std::vector<std::array<double, 5>> rows; // weight, xi, eta, xi rate, eta rate
    for (std::size_t i = 0; i < now.size(); ++i) {
        const double weight = std::exp(-0.5 * (cloud.cells[i].chiSquare - cloud.leastChiSquare));
        const PlanePos at = arcTo(bounds.sky, now[i]);
        const PlanePos motion = arcTo(now[i], then[i]);
        const double perMinute = 60.0 / (stepSeconds * kRadiansPerArcsec);
        rows.push_back({weight, at.xi, at.eta, perMinute * motion.xi, perMinute * motion.eta});
        weights += weight;
        xiMean += weight * at.xi;
        etaMean += weight * at.eta;
        xiRate += weight * rows.back()[3];
        etaRate += weight * rows.back()[4];
        const double rate = std::hypot(rows.back()[3], rows.back()[4]);
        bounds.leastRate = std::min(bounds.leastRate, rate);
        bounds.mostRate = std::max(bounds.mostRate, rate);
    }
    xiMean /= weights;
    etaMean /= weights;
    bounds.rateArcsecPerMin = std::hypot(xiRate, etaRate) / weights;
    bounds.positionAngle = angleOf(xiRate, etaRate);
    double xiXi = 0.0;
    double xiEta = 0.0;
    double etaEta = 0.0;
    double spread = 0.0;
    for (const auto& [weight, xi, eta, dxi, deta] : rows) {
        xiXi += weight * (xi - xiMean) * (xi - xiMean) / weights;
        xiEta += weight * (xi - xiMean) * (eta - etaMean) / weights;
        etaEta += weight * (eta - etaMean) * (eta - etaMean) / weights;
        spread =
            std::max(spread, std::abs(2.0 * halfTurn(angleOf(dxi, deta), bounds.positionAngle)));
    }
    bounds.sky = arcFrom(bounds.sky, {xiMean, etaMean});
    bounds.place = SkyEllipse::fromCovariance(xiXi, xiEta, etaEta);
    bounds.angleSpread = Angle::radians(spread);
    return bounds;
}

bool TonightSummary::agrees() const {
    return std::hypot(raMean / std::hypot(raError, orbitRaArcsec),
                      decMean / std::hypot(decError, orbitDecArcsec)) < 3.5;
}

std::optional<TonightSummary>
tonightOf(const OrbitJudgement& judgement, const OrbitCase& given, const Planets& planets) {
    TonightSummary tonight;
    double raWeights = 0.0;
    double decWeights = 0.0;
    const Observer* when = nullptr;
    for (std::size_t i = 0; i < judgement.newAgainstOld.size(); ++i) {
        const Sighting& s = judgement.sightings[i];
        const Residual& r = judgement.newAgainstOld[i];
        if (s.source < given.old || (!given.switchedOff.empty() && given.switchedOff[s.source])) {
            continue;
        }
        const double ra = kRadiansPerArcsec / s.sigmaXi;
        const double dec = kRadiansPerArcsec / s.sigmaEta;
        tonight.raMean += ra * ra * r.xiArcsec;
        tonight.decMean += dec * dec * r.etaArcsec;
        raWeights += ra * ra;
        decWeights += dec * dec;
        ++tonight.count;
        when = &s.observer;
    }
    if (tonight.count == 0) {
        return std::nullopt;
    }
    tonight.raMean /= raWeights;
    tonight.decMean /= decWeights;
    tonight.raError = 1.0 / std::sqrt(raWeights);
    tonight.decError = 1.0 / std::sqrt(decWeights);
    if (const auto bounds = boundsOf(*judgement.without, planets, *when)) {
        const double angle = bounds->place.positionAngle.radians();
        const double major = bounds->place.major.arcsec();
        const double minor = bounds->place.minor.arcsec();
        tonight.orbitRaArcsec = std::hypot(major * std::sin(angle), minor * std::cos(angle));
        tonight.orbitDecArcsec = std::hypot(major * std::cos(angle), minor * std::sin(angle));
    }
    return tonight;
}

CloudRanges rangesOf(const OrbitCloud& cloud) {
    CloudRanges ranges;
    const auto take = [](CloudRanges::Range& range, double value, bool first) {
        range.least = first ? value : std::min(range.least, value);
        range.most = first ? value : std::max(range.most, value);
    };
    for (const RangingCell& cell : cloud.cells) {
        const Elements e = elementsOf(cell.state, cloud.epoch);
        const bool first = &cell == &cloud.cells.front();
        take(ranges.distanceAu, cell.distanceAu, first);
        take(ranges.perihelionAu, e.perihelionAu, first);
        take(ranges.eccentricity, e.eccentricity, first);
        take(ranges.inclinationDegrees, e.inclination.degrees(), first);
    }
    return ranges;
}

ElementErrors elementErrorsOf(const OrbitFit& fit) {
    ElementErrors errors;
    double inclination = 0.0;
    double node = 0.0;
    double argument = 0.0;
    const auto add = [](double& sum, double value) { sum = std::hypot(sum, value); };
    for (const auto& [plus, minus] : stepsOf(fit)) {
        add(errors.perihelionAu, 0.5 * (plus.perihelionAu - minus.perihelionAu));
        add(errors.eccentricity, 0.5 * (plus.eccentricity - minus.eccentricity));
        add(inclination, halfTurn(plus.inclination, minus.inclination));
        add(node, halfTurn(plus.node, minus.node));
        add(argument, halfTurn(plus.argument, minus.argument));
        // Of two passages the nearer one: a period on is the same orbit.
        double days = plus.perihelionTime.secondsSince(minus.perihelionTime) / kSecondsPerDay;
        if (fit.elements.eccentricity < 1.0) {
            const double a = fit.elements.perihelionAu / (1.0 - fit.elements.eccentricity);
            days = std::remainder(days, 2.0 * std::numbers::pi * std::sqrt(a * a * a / kSunGm));
        }
        add(errors.perihelionDays, 0.5 * days);
    }
    errors.inclination = Angle::radians(inclination);
    errors.node = Angle::radians(node);
    errors.argument = Angle::radians(argument);
    return errors;
}

} // namespace pathmark::orbit
