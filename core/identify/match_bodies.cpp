#include "core/identify/match_bodies.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::identify {
namespace {

/// What a catalogue orbit is good to that says nothing of its error.
constexpr double kUnstatedArcsec = 0.5;
/// And by how much it runs off along its path.
constexpr double kUnstatedArcsecPerDecade = 5.0;

/// One pair judged by its combined errors.
BodyMatch judge(const ExpectedBody& body, const SkySource& source) {
    BodyMatch match;
    const PlanePos off = toTangentPlane(body.sky, source.sky);
    match.xiArcsec = off.xi / kRadiansPerArcsec;
    match.etaArcsec = off.eta / kRadiansPerArcsec;
    const double own = source.sigmaArcsec * source.sigmaArcsec;
    const double a = body.xiXi + own;
    const double b = body.xiEta;
    const double d = body.etaEta + own;
    const double determinant = a * d - b * b;
    match.chiSquare =
        (d * match.xiArcsec * match.xiArcsec - 2.0 * b * match.xiArcsec * match.etaArcsec +
         a * match.etaArcsec * match.etaArcsec) /
        determinant;
    match.chance = std::numbers::pi * match.chiSquare * std::sqrt(std::max(0.0, determinant));
    return match;
}

} // namespace

ExpectedBody expectedFrom(const orbit::Elements& elements, const orbit::Place& place) {
    ExpectedBody body;
    body.sky = place.sky;
    if (!place.uncertainty) {
        const double runoff = elements.runoffArcsecPerDecade.value_or(kUnstatedArcsecPerDecade);
        const double decades =
            std::abs(toTdb(place.time).secondsSince(elements.epoch)) / (3652.5 * kSecondsPerDay);
        const double xi = runoff * decades * place.aheadOnOrbit.xi;
        const double eta = runoff * decades * place.aheadOnOrbit.eta;
        constexpr double square = kUnstatedArcsec * kUnstatedArcsec;
        body.xiXi = square + xi * xi;
        body.etaEta = square + eta * eta;
        body.xiEta = xi * eta;
        return body;
    }
    const double along = place.uncertainty->major.arcsec();
    const double across = place.uncertainty->minor.arcsec();
    const double s = std::sin(place.uncertainty->positionAngle.radians());
    const double c = std::cos(place.uncertainty->positionAngle.radians());
    body.xiXi = along * along * s * s + across * across * c * c;
    body.etaEta = along * along * c * c + across * across * s * s;
    body.xiEta = (along * along - across * across) * s * c;
    return body;
}

std::vector<BodyMatch> matchBodies(std::span<const ExpectedBody> bodies,
                                   std::span<const SkySource> sources,
                                   double squareArcsec) {
    const double density = static_cast<double>(sources.size()) / std::max(1.0, squareArcsec);
    std::vector<BodyMatch> pairs;
    for (std::size_t b = 0; b < bodies.size(); ++b) {
        for (std::size_t s = 0; s < sources.size(); ++s) {
            BodyMatch match = judge(bodies[b], sources[s]);
            // Half the sky away the plane has no place: NaN is no match.
            if (match.chiSquare < kGate) {
                match.body = b;
                match.source = s;
                match.chance *= density;
                pairs.push_back(match);
            }
        }
    }
    std::stable_sort(pairs.begin(), pairs.end(), [](const BodyMatch& a, const BodyMatch& b) {
        return a.chiSquare < b.chiSquare;
    });
    std::vector<char> bodyTaken(bodies.size(), 0);
    std::vector<char> sourceTaken(sources.size(), 0);
    std::vector<BodyMatch> matches;
    for (const BodyMatch& pair : pairs) {
        if (bodyTaken[pair.body] == 0 && sourceTaken[pair.source] == 0) {
            bodyTaken[pair.body] = 1;
            sourceTaken[pair.source] = 1;
            matches.push_back(pair);
        }
    }
    return matches;
}

} // namespace pathmark::identify
