#include "core/night/record_parts.h"

#include "core/night/records.h"

#include <nlohmann/json.hpp>

#include <cmath>

namespace pathmark::night {

using nlohmann::json;

namespace {

json fromSip(const frame::SipPolynomial& polynomial) {
    json terms = json::array();
    for (int p = 0; p <= polynomial.order(); ++p) {
        for (int q = 0; p + q <= polynomial.order() && polynomial.order() > 0; ++q) {
            terms.push_back(polynomial.coefficient(p, q));
        }
    }
    return json{{"order", polynomial.order()}, {"terms", terms}};
}

frame::SipPolynomial toSip(const json& value) {
    const int order = value.at("order").get<int>();
    if (order == 0) {
        return {};
    }
    frame::SipPolynomial polynomial(order);
    std::size_t at = 0;
    for (int p = 0; p <= order; ++p) {
        for (int q = 0; p + q <= order; ++q) {
            polynomial.setCoefficient(p, q, value.at("terms").at(at++).get<double>());
        }
    }
    return polynomial;
}

} // namespace

json toJson(const frame::Wcs& wcs) {
    return json{{"sky", fromSky(wcs.referenceSky)},
                {"pixel", fromPixel(wcs.referencePixel)},
                {"cd", wcs.cd},
                {"a", fromSip(wcs.a)},
                {"b", fromSip(wcs.b)},
                {"ap", fromSip(wcs.ap)},
                {"bp", fromSip(wcs.bp)}};
}

frame::Wcs wcsFromJson(const json& value) {
    frame::Wcs wcs;
    wcs.referenceSky = toSky(value.at("sky"));
    wcs.referencePixel = toPixel(value.at("pixel"));
    wcs.cd = value.at("cd").get<std::array<double, 4>>();
    wcs.a = toSip(value.at("a"));
    wcs.b = toSip(value.at("b"));
    wcs.ap = toSip(value.at("ap"));
    wcs.bp = toSip(value.at("bp"));
    return wcs;
}

json fromTime(const Utc& time) {
    return json::array({time.day(), time.fraction()});
}

Utc toTime(const json& value) {
    return Utc::julian(value.at(0).get<double>(), value.at(1).get<double>());
}

json fromSky(const SkyPos& sky) {
    return json::array({sky.longitude.radians(), sky.latitude.radians()});
}

SkyPos toSky(const json& value) {
    return {Angle::radians(value.at(0).get<double>()), Angle::radians(value.at(1).get<double>())};
}

json fromPixel(frame::PixelPos p) {
    return json::array({p.x, p.y});
}

frame::PixelPos toPixel(const json& value) {
    return {value.at(0).get<double>(), value.at(1).get<double>()};
}

json fromOptional(const std::optional<double>& value) {
    return value && std::isfinite(*value) ? json(*value) : json();
}

std::optional<double> toOptional(const json& value) {
    return value.is_number() ? std::optional(value.get<double>()) : std::nullopt;
}

json fromAttempt(const solve::SolveAttempt& a) {
    return json{{"sources", a.sources},
                {"starlike", a.starlike},
                {"fwhm", a.fwhmPixels},
                {"trail", a.trailPixels},
                {"centre", a.centre ? fromSky(*a.centre) : json()},
                {"radius", a.radius.radians()},
                {"scale", {a.scaleLow, a.scaleHigh}},
                {"around", a.starsAround},
                {"whole_sky", a.wholeSky},
                {"tried", a.placesTried},
                {"best", {a.bestMatched, a.bestOf}},
                {"chance", a.bestChanceLog10}};
}

solve::SolveAttempt toAttempt(const json& value) {
    solve::SolveAttempt a;
    a.sources = value.at("sources").get<int>();
    a.starlike = value.at("starlike").get<int>();
    a.fwhmPixels = value.at("fwhm").get<double>();
    a.trailPixels = value.at("trail").get<double>();
    if (!value.at("centre").is_null()) {
        a.centre = toSky(value.at("centre"));
    }
    a.radius = Angle::radians(value.at("radius").get<double>());
    a.scaleLow = value.at("scale").at(0).get<double>();
    a.scaleHigh = value.at("scale").at(1).get<double>();
    a.starsAround = value.at("around").get<int>();
    a.wholeSky = value.at("whole_sky").get<bool>();
    a.placesTried = value.at("tried").get<double>();
    a.bestMatched = value.at("best").at(0).get<int>();
    a.bestOf = value.at("best").at(1).get<int>();
    a.bestChanceLog10 = value.at("chance").get<double>();
    return a;
}

json fromSolutionError(const solve::SolutionError& e) {
    return json{{"order", e.order},
                {"unit", e.unit},
                {"middle", fromPixel(e.middle)},
                {"covariance", e.covariance},
                {"cubic", e.cubic}};
}

solve::SolutionError toSolutionError(const json& value) {
    solve::SolutionError e;
    e.order = value.at("order").get<int>();
    e.unit = value.at("unit").get<double>();
    e.middle = toPixel(value.at("middle"));
    e.covariance = value.at("covariance").get<std::vector<double>>();
    e.cubic = value.at("cubic").get<std::vector<double>>();
    return e;
}

json fromPhotometry(const solve::PhotometricMatch& p) {
    return json{{"band", std::string(catalog::name(p.band))},
                {"zero", p.zeroPoint},
                {"zero_error", p.zeroPointError},
                {"colour", p.colourTerm},
                {"scatter", p.scatter},
                {"stars", p.usedStars},
                {"limit", p.limitingMag},
                {"sky", p.skyBrightness}};
}

solve::PhotometricMatch toPhotometry(const json& value) {
    solve::PhotometricMatch p;
    p.band = catalog::bandForFilter(value.at("band").get<std::string>()).value_or(catalog::Band::G);
    p.zeroPoint = value.at("zero").get<double>();
    p.zeroPointError = value.at("zero_error").get<double>();
    p.colourTerm = value.at("colour").get<double>();
    p.scatter = value.at("scatter").get<double>();
    p.usedStars = value.at("stars").get<int>();
    p.limitingMag = value.at("limit").get<double>();
    p.skyBrightness = value.at("sky").get<double>();
    return p;
}

} // namespace pathmark::night
