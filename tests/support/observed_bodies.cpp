#include "tests/support/observed_bodies.h"

#include "core/orbit/motion/kepler.h"
#include "core/orbit/place/site_place.h"
#include "tests/support/other_integrator.h"

#include <algorithm>
#include <cmath>

namespace pathmark::test_support {
namespace {

using orbit::Elements;

frame::Site siteOfAll() {
    frame::Site site;
    site.code = "Z99";
    site.longitude = Angle::degrees(23.4);
    site.latitude = Angle::degrees(-31.2);
    site.altitudeMetres = 1374.0;
    return site;
}

double uniform(std::mt19937& random, double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
}

Elements drawElements(std::mt19937& random, std::string& kind, const Tdb& epoch) {
    Elements e;
    const double share = uniform(random, 0.0, 1.0);
    if (share < 0.5) {
        kind = "main belt";
        e.eccentricity = uniform(random, 0.0, 0.3);
        e.perihelionAu = uniform(random, 2.1, 3.3) * (1.0 - e.eccentricity);
        e.inclination = Angle::degrees(uniform(random, 0.1, 25.0));
    } else if (share < 0.8) {
        kind = "near-Earth";
        e.eccentricity = uniform(random, 0.1, 0.8);
        e.perihelionAu = uniform(random, 0.6, 1.25);
        e.inclination = Angle::degrees(uniform(random, 0.5, 35.0));
    } else {
        kind = "comet";
        e.eccentricity = uniform(random, 0.0, 1.0) < 0.5 ? uniform(random, 0.3, 0.9)
                                                         : uniform(random, 0.99, 1.001);
        e.perihelionAu = uniform(random, 0.9, 4.0);
        e.inclination = Angle::degrees(uniform(random, 1.0, 170.0));
    }
    e.node = Angle::degrees(uniform(random, 0.0, 360.0));
    e.argument = Angle::degrees(uniform(random, 0.0, 360.0));
    e.epoch = epoch;
    // Near perihelion, where bodies are found.
    e.perihelionTime = epoch.plusSeconds(uniform(random, -300.0, 300.0) * kSecondsPerDay);
    return e;
}

/// Nights over the arc and times of a night; sorted.
std::vector<double> drawDays(std::mt19937& random, double arc) {
    std::vector<double> days;
    if (arc < 0.5) {
        const int count = std::uniform_int_distribution<int>(3, 6)(random);
        for (int k = 0; k < count; ++k) {
            days.push_back(arc * k / (count - 1));
        }
        return days;
    }
    const int nights = std::min(12, 2 + static_cast<int>(std::sqrt(arc)));
    for (int n = 0; n < nights; ++n) {
        const double share = n == 0 ? 0.0 : n == nights - 1 ? 1.0 : uniform(random, 0.0, 1.0);
        const int count = std::uniform_int_distribution<int>(3, 4)(random);
        for (int k = 0; k < count; ++k) {
            days.push_back(share * arc + 0.02 * k);
        }
    }
    std::sort(days.begin(), days.end());
    return days;
}

/// Where the body was when the light left it: back along place, velocity and the Sun's pull.
Vec3 seen(const orbit::StateVector& body, const orbit::Observer& observer) {
    Vec3 line = body.position - observer.place;
    for (int i = 0; i < 4; ++i) {
        const double days = norm(line) / 173.14463267;
        const Vec3 fromSun = body.position - observer.sunPlace;
        const double r = norm(fromSun);
        const double pull = -orbit::kSunGm / (r * r * r);
        line = body.position - days * body.velocity + (0.5 * days * days * pull) * fromSun -
               observer.place;
    }
    return line;
}

} // namespace

orbit::SiteCodes drawnSites() {
    orbit::SiteCodes codes;
    codes.add(siteOfAll(), "Karrow Flat");
    return codes;
}

ObservedBody drawBody(std::mt19937& random, const orbit::Planets& planets, const BodyDraw& draw) {
    while (true) {
        ObservedBody body;
        body.epoch = Tdb::julian(2463000.5 + std::floor(uniform(random, 0.0, 1500.0)));
        const Elements elements = drawElements(random, body.kind, body.epoch);
        body.state = orbit::stateOf(elements);
        body.arcDays =
            std::exp(uniform(random, std::log(draw.leastArcDays), std::log(draw.mostArcDays)));
        body.noiseArcsec = std::exp(
            uniform(random, std::log(draw.leastNoiseArcsec), std::log(draw.mostNoiseArcsec)));
        const double start = uniform(random, 0.05, 1.0);
        std::vector<double> days = drawDays(random, body.arcDays);
        for (double& day : days) {
            day += start;
        }
        const auto states = integrateOtherwise(body.state, body.epoch, planets, {}, days);
        std::normal_distribution<double> normal(0.0, body.noiseArcsec);
        for (std::size_t i = 0; i < days.size(); ++i) {
            const Tdb time = body.epoch.plusSeconds(days[i] * kSecondsPerDay);
            const auto observer = orbit::observerAt(planets, siteOfAll(), toUtc(time));
            const Vec3 line = seen(states[i], *observer);
            const Vec3 sun = observer->sunPlace - observer->place;
            const double elongation = std::atan2(norm(cross(line, sun)), dot(line, sun));
            if (elongation < 50.0 * kRadiansPerDegree || norm(line) > 6.0) {
                continue;
            }
            orbit::Observation o;
            o.body = "X";
            o.time = toUtc(time);
            o.station = "Z99";
            const double sigma = kRadiansPerArcsec;
            o.sky = fromTangentPlane(SkyPos::fromVector(line),
                                     {normal(random) * sigma, normal(random) * sigma});
            o.sigmaRaArcsec = body.noiseArcsec;
            o.sigmaDecArcsec = body.noiseArcsec;
            body.observations.push_back(o);
        }
        const bool enough =
            body.observations.size() >= 3 && body.observations.size() * 2 >= days.size() &&
            body.observations.back().time.secondsSince(body.observations.front().time) >
                0.8 * body.arcDays * kSecondsPerDay;
        if (enough) {
            return body;
        }
    }
}

} // namespace pathmark::test_support
