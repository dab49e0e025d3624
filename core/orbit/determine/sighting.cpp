#include "core/orbit/determine/sighting.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {
namespace {

Result<Observer> placeObserver(const Observation& o,
                               const Planets& planets,
                               const SiteCodes& sites,
                               const EarthTurn& turn) {
    if (o.observer && o.observer->geocentricKilometres) {
        return observerInSpace(
            planets, (1.0 / kKilometresPerAu) * *o.observer->geocentricKilometres, o.time);
    }
    frame::Site site;
    if (o.observer && o.observer->geodetic) {
        const auto& place = *o.observer->geodetic;
        site.longitude = Angle::degrees(place[0]);
        site.latitude = Angle::degrees(place[1]);
        site.altitudeMetres = place[2];
    } else {
        auto listed = sites.find(o.station);
        if (!listed) {
            return fail(listed.error());
        }
        site = *listed;
    }
    return observerAt(planets, site, o.time, turn);
}

double sigmaByRule(const Observation& o, const WeightRules& rules) {
    if (const auto station = rules.stations.find(o.station); station != rules.stations.end()) {
        return station->second;
    }
    double sigma = rules.unknownArcsec;
    if (o.mode == "PHO" || o.mode == "MIC" || o.mode == "MER") {
        sigma = rules.photographicArcsec;
    } else if (o.starCatalogue.starts_with("Gaia")) {
        sigma = rules.gaiaArcsec;
    } else if (!o.starCatalogue.empty() && o.starCatalogue != "UNK") {
        sigma = rules.otherArcsec;
    }
    return o.magnitude.value_or(0.0) > rules.faintMagnitude ? 1.5 * sigma : sigma;
}

/// Observations of one station and night; the night ends at the site's noon, near enough.
std::string nightOf(const Observation& o) {
    return fmt::format("{}|{:.0f}", o.station, std::floor(o.time.julian()));
}

} // namespace

SightingList makeSightings(std::span<const Observation> observations,
                           const Planets& planets,
                           const SiteCodes& sites,
                           const EarthTurn& turn,
                           const WeightRules& rules) {
    std::map<std::string, int> perNight;
    for (const Observation& o : observations) {
        ++perNight[nightOf(o)];
    }
    SightingList list;
    for (std::size_t i = 0; i < observations.size(); ++i) {
        const Observation& o = observations[i];
        if (o.radar) {
            list.leftOut.push_back({ErrorId::OrbitBadLine,
                                    "A radar measurement is not used in the fit.",
                                    fmt::format("line {}", o.line)});
            continue;
        }
        auto observer = placeObserver(o, planets, sites, turn);
        if (!observer) {
            list.leftOut.push_back(observer.error());
            continue;
        }
        Sighting s;
        s.observer = *observer;
        s.sky = o.sky;
        s.source = i;
        if (o.sigmaRaArcsec && o.sigmaDecArcsec) {
            s.sigmaXi = std::max(*o.sigmaRaArcsec, rules.leastArcsec) * kRadiansPerArcsec;
            s.sigmaEta = std::max(*o.sigmaDecArcsec, rules.leastArcsec) * kRadiansPerArcsec;
            s.correlation = std::clamp(o.correlation, -0.99, 0.99);
        } else {
            const double crowd = std::sqrt(std::max(
                1.0, static_cast<double>(perNight[nightOf(o)]) / rules.independentPerNight));
            s.sigmaXi = crowd * sigmaByRule(o, rules) * kRadiansPerArcsec;
            s.sigmaEta = s.sigmaXi;
        }
        list.sightings.push_back(s);
    }
    std::stable_sort(
        list.sightings.begin(), list.sightings.end(), [](const Sighting& a, const Sighting& b) {
            return a.observer.tdb < b.observer.tdb;
        });
    return list;
}

} // namespace pathmark::orbit
