#include "core/orbit/determine/normal_points.h"

#include <cmath>

namespace pathmark::orbit {
namespace {

constexpr double kLongestSeconds = 600.0;

Sighting meanOf(std::span<const Sighting> group) {
    const Sighting& first = group.front();
    double weights = 0.0;
    double seconds = 0.0;
    double xi = 0.0;
    double eta = 0.0;
    double xiVariance = 0.0;
    double etaVariance = 0.0;
    double covariance = 0.0;
    Vec3 place{};
    Vec3 velocity{};
    Vec3 sun{};
    for (const Sighting& s : group) {
        const double w = 1.0 / (s.sigmaXi * s.sigmaXi + s.sigmaEta * s.sigmaEta);
        const PlanePos p = toTangentPlane(first.sky, s.sky);
        weights += w;
        seconds += w * s.observer.tdb.secondsSince(first.observer.tdb);
        xi += w * p.xi;
        eta += w * p.eta;
        xiVariance += w * w * s.sigmaXi * s.sigmaXi;
        etaVariance += w * w * s.sigmaEta * s.sigmaEta;
        covariance += w * w * s.correlation * s.sigmaXi * s.sigmaEta;
        place = place + w * s.observer.place;
        velocity = velocity + w * s.observer.velocity;
        sun = sun + w * s.observer.sunPlace;
    }
    Sighting mean = first;
    mean.observer.utc = first.observer.utc.plusSeconds(seconds / weights);
    mean.observer.tdb = first.observer.tdb.plusSeconds(seconds / weights);
    mean.observer.place = (1.0 / weights) * place;
    mean.observer.velocity = (1.0 / weights) * velocity;
    mean.observer.sunPlace = (1.0 / weights) * sun;
    mean.sky = fromTangentPlane(first.sky, {xi / weights, eta / weights});
    mean.sigmaXi = std::sqrt(xiVariance) / weights;
    mean.sigmaEta = std::sqrt(etaVariance) / weights;
    mean.correlation = covariance / std::sqrt(xiVariance * etaVariance);
    return mean;
}

} // namespace

std::vector<Sighting> normalPoints(std::span<const Sighting> sightings, std::size_t most) {
    if (sightings.size() <= most) {
        return {sightings.begin(), sightings.end()};
    }
    const std::size_t together = (sightings.size() + most - 1) / most;
    std::vector<Sighting> points;
    std::size_t begin = 0;
    for (std::size_t end = 1; end <= sightings.size(); ++end) {
        const bool full = end == sightings.size() || end - begin == together ||
                          sightings[end].observer.tdb.secondsSince(sightings[begin].observer.tdb) >
                              kLongestSeconds;
        if (full) {
            points.push_back(meanOf(sightings.subspan(begin, end - begin)));
            begin = end;
        }
    }
    return points;
}

} // namespace pathmark::orbit
