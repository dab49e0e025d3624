#include "core/identify/deviation.h"

#include "core/orbit/motion/constants.h"

#include <algorithm>
#include <cmath>

namespace pathmark::identify {
namespace {

using orbit::SpkBody;

constexpr double kInnerEdge = 1.7; // au, beyond Mars
constexpr double kOuterEdge = 4.4; // au, well inside Jupiter
constexpr double kDrift = 3.0;

double gmOf(SpkBody body) {
    const auto found = std::find_if(orbit::kMajorBodies.begin(),
                                    orbit::kMajorBodies.end(),
                                    [&](const auto& a) { return a.body == body; });
    return found->gm;
}

/// Mean of 1/d^2 on the straight piece from a to b.
double meanInverseSquare(const Vec3& a, const Vec3& b) {
    const double area = norm(cross(a, b));
    const double along = dot(a, b);
    const double direct = 1.0 / std::max(std::sqrt(dot(a, a) * dot(b, b)), 1e-18);
    // The angle over its sine, as a series where the angle is small.
    const double sine = area * direct;
    if (sine < 0.4 && along > 0.0) {
        return direct * (1.0 + sine * sine * (1.0 / 6.0 + 0.1 * sine * sine));
    }
    return std::atan2(area, along) / std::max(area, 1e-18);
}

/// Nearest that the straight piece from a to b comes to the origin.
double nearestOf(const Vec3& a, const Vec3& b) {
    const Vec3 d = b - a;
    const double length2 = dot(d, d);
    const double t = length2 > 0.0 ? std::clamp(-dot(a, d) / length2, 0.0, 1.0) : 0.0;
    return norm(a + t * d);
}

} // namespace

Result<DeviationBounds>
DeviationBounds::make(const OrbitCatalog& catalog, const orbit::Planets& planets, double nightDay) {
    DeviationBounds bounds(catalog);
    bounds.night_ = nightDay;
    bounds.pullers_ = {{SpkBody::Venus, gmOf(SpkBody::Venus), 0.02, true},
                       {SpkBody::Earth, orbit::kEarthMoonGm, 0.03, true},
                       {SpkBody::Mars, gmOf(SpkBody::Mars), 0.01, true},
                       {SpkBody::Jupiter, gmOf(SpkBody::Jupiter), 0.6, false},
                       {SpkBody::Saturn, gmOf(SpkBody::Saturn), 0.6, false},
                       {SpkBody::Uranus, gmOf(SpkBody::Uranus), 0.6, false},
                       {SpkBody::Neptune, gmOf(SpkBody::Neptune), 0.6, false}};
    double first = nightDay;
    double last = nightDay;
    // Two years to each side; what is older is integrated without asking.
    constexpr double mostDays = 730.0;
    for (std::size_t i = 0; i < catalog.size(); ++i) {
        const double epoch = catalog.shape(i).epochDay;
        first = std::min(first, std::max(epoch, nightDay - mostDays));
        last = std::max(last, std::min(epoch, nightDay + mostDays));
    }
    // The motion against a planet is some degrees a step; passages are slower farther out.
    for (const double step : {4.0, 8.0, 16.0}) {
        auto grid = bounds.makeGrid(planets, step, first, last);
        if (!grid) {
            return fail(grid.error());
        }
        bounds.grids_.push_back(std::move(*grid));
    }
    return bounds;
}

Result<DeviationBounds::TimeGrid> DeviationBounds::makeGrid(const orbit::Planets& planets,
                                                            double step,
                                                            double first,
                                                            double last) const {
    TimeGrid grid;
    grid.step = step;
    const auto before = static_cast<int>(std::ceil((night_ - first) / step));
    const auto after = static_cast<int>(std::ceil((last - night_) / step));
    for (int k = -before; k <= after; ++k) {
        grid.days.push_back(night_ + k * step);
    }
    for (const Puller& puller : pullers_) {
        auto& list = grid.places.emplace_back();
        for (const double day : grid.days) {
            const Tdb time = Tdb::julian(OrbitColumns::kOrigin, day);
            const auto state = planets.state(puller.body, time);
            const auto sun = planets.sun(time);
            if (!state || !sun) {
                return fail(state ? sun.error() : state.error());
            }
            list.push_back(state->position - sun->position);
        }
    }
    return grid;
}

/// Orbits that no planet comes near.
double DeviationBounds::quiet(const OrbitCatalog::Shape& shape) const {
    const double q = shape.perihelionAu;
    const double aphelion = q * (1.0 + shape.eccentricity) / (1.0 - shape.eccentricity);
    const auto pull = [](double gm, double nearest, double own) {
        return gm * (1.0 / (nearest * nearest) + 1.0 / (own * own));
    };
    const double sum = pull(gmOf(SpkBody::Jupiter), 4.95 - aphelion, 4.95) +
                       pull(gmOf(SpkBody::Saturn), 9.0 - aphelion, 9.0) +
                       pull(orbit::kEarthMoonGm, q - 1.017, 1.0) +
                       pull(gmOf(SpkBody::Venus), q - 0.729, 0.72) +
                       pull(gmOf(SpkBody::Mars), q - 1.667, 1.5);
    const double days = night_ - shape.epochDay;
    return kDrift * 0.5 * sum * days * days;
}

Deviation DeviationBounds::walk(std::size_t orbit,
                                const OrbitCatalog::Shape& shape,
                                const TimeGrid& grid) const {
    const auto& days = grid.days;
    const double low = std::min(shape.epochDay, night_) - grid.step;
    const double high = std::max(shape.epochDay, night_) + grid.step;
    const auto from = std::lower_bound(days.begin(), days.end(), low) - days.begin();
    const auto to = std::upper_bound(days.begin(), days.end(), high) - days.begin();
    const auto count = static_cast<std::size_t>(to - from);
    if (count < 2) {
        return {};
    }
    const auto start = static_cast<std::size_t>(from);
    thread_local std::vector<double> x;
    thread_local std::vector<double> y;
    thread_local std::vector<double> z;
    x.resize(count);
    y.resize(count);
    z.resize(count);
    placesAlong(catalog_->columns(),
                orbit,
                std::span(days).subspan(start, count),
                x.data(),
                y.data(),
                z.data());
    const double aphelion =
        shape.perihelionAu * (1.0 + shape.eccentricity) / (1.0 - shape.eccentricity);
    Deviation deviation;
    for (std::size_t p = 0; p < pullers_.size(); ++p) {
        const Puller& puller = pullers_[p];
        const auto& places = grid.places[p];
        const double own = norm(places[start]);
        // A planet that stays far away is bounded without a walk.
        const double gap = std::max(shape.perihelionAu - own, own - aphelion);
        if (gap > (puller.inner ? 0.6 : 1.5)) {
            const double span = night_ - shape.epochDay;
            deviation.au +=
                0.5 * kDrift * puller.gm * (1.0 / (gap * gap) + 1.0 / (own * own)) * span * span;
            continue;
        }
        Vec3 before = Vec3{x[0], y[0], z[0]} - places[start];
        for (std::size_t k = 1; k < count; ++k) {
            const Vec3 after = Vec3{x[k], y[k], z[k]} - places[start + k];
            if (nearestOf(before, after) < puller.deepAu) {
                deviation.deep = true;
                return deviation;
            }
            const double since = std::abs(night_ - 0.5 * (days[start + k - 1] + days[start + k]));
            const double pull = puller.gm * (meanInverseSquare(before, after) + 1.0 / (own * own));
            deviation.au += kDrift * pull * since * grid.step;
            before = after;
        }
    }
    return deviation;
}

Deviation DeviationBounds::of(std::size_t orbit, const OrbitCatalog::Shape& shape) const {
    const double aphelion =
        shape.perihelionAu * (1.0 + shape.eccentricity) / (1.0 - shape.eccentricity);
    if (shape.perihelionAu > kInnerEdge && aphelion < kOuterEdge) {
        return {quiet(shape), false};
    }
    const auto& days = grids_.front().days;
    if (catalog_->columns().motion[orbit] == 0.0 || shape.epochDay < days.front() - 4.0 ||
        shape.epochDay > days.back() + 4.0) {
        return {0.0, true};
    }
    const bool crossesEarth = shape.perihelionAu < 1.15;
    const std::size_t grid = crossesEarth ? 0 : shape.perihelionAu < kInnerEdge ? 1 : 2;
    return walk(orbit, shape, grids_[grid]);
}

} // namespace pathmark::identify
