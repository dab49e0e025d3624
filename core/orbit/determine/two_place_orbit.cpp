#include "core/orbit/determine/two_place_orbit.h"

#include "core/orbit/motion/kepler.h"

#include <cmath>

namespace pathmark::orbit {
TwoPlaceOrbit::TwoPlaceOrbit(std::span<const Sighting> sightings) : sightings_(sightings) {
    for (const Sighting& s : sightings) {
        lines_.push_back(s.sky.vector());
        observers_.push_back(s.observer.place - s.observer.sunPlace);
    }
    arcDays_ = daysBetween(sightings.front().observer.tdb, sightings.back().observer.tdb);
}

Tdb TwoPlaceOrbit::emission(double firstDistance) const {
    const Tdb& time = sightings_.front().observer.tdb;
    return Tdb::julian(time.day(), time.fraction() - firstDistance / kLightAuPerDay);
}

std::optional<StateVector> TwoPlaceOrbit::through(double first, double last) const {
    const Vec3 a = observers_.front() + first * lines_.front();
    const Vec3 b = observers_.back() + last * lines_.back();
    const double days = arcDays_ - (last - first) / kLightAuPerDay;
    const double r = norm(a);
    // First the series of f and g about the first place, then the orbit's own coefficients.
    const double u = kSunGm / (r * r * r);
    double f = 1.0 - 0.5 * u * days * days;
    double g = days * (1.0 - u * days * days / 6.0);
    StateVector state{a, {}};
    for (int i = 0; i < 60; ++i) {
        if (!(std::abs(g) > 1e-9)) {
            return std::nullopt;
        }
        const Vec3 velocity = (1.0 / g) * (b - f * a);
        const double change = norm(velocity - state.velocity);
        state.velocity = velocity;
        if (!(norm(velocity) < 1.0)) {
            return std::nullopt; // 1700 km/s
        }
        const StateVector end = propagateTwoBody(state, days);
        const Vec3 miss = end.position - b;
        if (norm(miss) < 1e-12 * norm(b) || (i > 3 && change < 1e-14 * norm(velocity))) {
            return state;
        }
        // f and g of this orbit from where it ended: two unknowns in the plane of place and velocity.
        const Vec3 normal = cross(a, velocity);
        const double n2 = dot(normal, normal);
        if (!(n2 > 1e-24)) {
            return std::nullopt;
        }
        f = dot(cross(end.position, velocity), normal) / n2;
        g = dot(cross(a, end.position), normal) / n2;
    }
    return std::nullopt;
}

void TwoPlaceOrbit::residuals(const StateVector& state,
                              double firstDistance,
                              std::vector<double>& out) const {
    out.resize(2 * sightings_.size());
    const Tdb start = emission(firstDistance);
    double distance = firstDistance;
    for (std::size_t i = 0; i < sightings_.size(); ++i) {
        const Sighting& s = sightings_[i];
        const double days = daysBetween(start, s.observer.tdb);
        Vec3 line{};
        for (int k = 0; k < 2; ++k) {
            const StateVector body = propagateTwoBody(state, days - distance / kLightAuPerDay);
            line = body.position - observers_[i];
            distance = norm(line);
        }
        const PlanePos off = toTangentPlane(SkyPos::fromVector(line), s.sky);
        const double xi = std::isnan(off.xi) ? 1.0 : off.xi;
        const double eta = std::isnan(off.eta) ? 1.0 : off.eta;
        out[2 * i] = xi / s.sigmaXi;
        out[2 * i + 1] = eta / s.sigmaEta;
    }
}

double TwoPlaceOrbit::chiSquare(const StateVector& state, double firstDistance) const {
    thread_local std::vector<double> r;
    residuals(state, firstDistance, r);
    double sum = 0.0;
    for (const double value : r) {
        sum += value * value;
    }
    return sum;
}

} // namespace pathmark::orbit
