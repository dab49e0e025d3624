#include "core/night/swept_bodies.h"

#include "core/night/body_frames.h"
#include "core/night/own_names.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kSameWidths = 1.5; ///< of a star, between a light and a known body
constexpr double kSameArcsec = 3.0;
constexpr double kSameSigma = 3.0;   ///< of the orbit's place
constexpr double kSameMotion = 0.05; ///< of the rate, by which an orbit may be off
constexpr double kTwiceWidths = 2.0;

} // namespace

SkyPos SweptBody::at(const Utc& when) const {
    return sweep::BentMotion{rateArcsecPerMin,
                             Angle::degrees(positionAngleDegrees),
                             bendArcsec,
                             Angle::degrees(bendAngleDegrees),
                             bendSeconds}
        .from(place, when.secondsSince(time));
}

double motionApart(double rate, double angleDegrees, double otherRate, double otherAngleDegrees) {
    const SkyMotion one = SkyMotion::towards(rate, angleDegrees);
    const SkyMotion other = SkyMotion::towards(otherRate, otherAngleDegrees);
    return std::hypot(one.east - other.east, one.north - other.north);
}

SweptBody sweptBody(const sweep::Candidate& candidate, std::optional<double> magnitude) {
    SweptBody body;
    body.time = candidate.time;
    body.place = candidate.sky;
    body.rateArcsecPerMin = candidate.rateArcsecPerMin;
    body.positionAngleDegrees = candidate.positionAngle.degrees();
    body.bendArcsec = candidate.bendArcsec;
    body.bendAngleDegrees = candidate.bendAngle.degrees();
    body.bendSeconds = candidate.bendSeconds;
    body.snr = candidate.snr;
    body.falseAlarmsLog10 = candidate.log10FalseAlarms;
    body.magnitude = magnitude;
    body.frameSnr = candidate.frameSnr;
    return body;
}

std::string nextSweptName(const Utc& night, std::set<std::string>& taken) {
    for (std::size_t number = 1; number < kOwnDigits.size() * kOwnDigits.size(); ++number) {
        std::string name =
            ownName('s', night, number / kOwnDigits.size(), number % kOwnDigits.size());
        if (taken.insert(name).second) {
            return name;
        }
    }
    return {};
}

bool isSameBody(const SweptBody& a, const SweptBody& b, double halfSeconds, double widthArcsec) {
    const Utc middle = a.time.plusSeconds(0.5 * b.time.secondsSince(a.time));
    return std::ranges::all_of(std::array{-halfSeconds, 0.0, halfSeconds}, [&](double off) {
        const Utc when = middle.plusSeconds(off);
        return separation(a.at(when), b.at(when)).arcsec() < kTwiceWidths * widthArcsec;
    });
}

const PredictionRecord* recognised(const SweptBody& body,
                                   std::span<const PredictionRecord* const> predictions,
                                   double halfSeconds,
                                   double widthArcsec) {
    const PredictionRecord* best = nullptr;
    double least = 1.0; // of what is allowed
    for (const PredictionRecord* p : predictions) {
        if (std::abs(p->time.secondsSince(body.time)) > halfSeconds) {
            continue;
        }
        const double faster = motionApart(body.rateArcsecPerMin,
                                          body.positionAngleDegrees,
                                          p->rateArcsecPerMin,
                                          p->positionAngleDegrees);
        const double mostFaster = kSameWidths * widthArcsec / std::max(1.0, halfSeconds / 60.0) +
                                  kSameMotion * p->rateArcsecPerMin;
        const double mostApart =
            std::max({kSameArcsec, kSameWidths * widthArcsec, kSameSigma * p->sigmaMajorArcsec});
        const double apart = separation(body.at(p->time), p->sky).arcsec() / mostApart;
        if (faster < mostFaster && apart < least) {
            least = apart;
            best = p;
        }
    }
    return best;
}

} // namespace pathmark::night
