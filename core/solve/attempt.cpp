#include "core/solve/attempt.h"

#include "core/base/sexagesimal.h"
#include "core/solve/solve_frame.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::solve {
namespace {

constexpr int kEnoughSources = 10;
constexpr int kEnoughStars = 20;
constexpr double kTrail = 3.0; // pixels; shorter ones are recognised as stars all the same

std::string placeText(const SolveAttempt& a) {
    return fmt::format("{:.2f} degrees of RA {} Dec {} at {:.2f} to {:.2f} arcsec per pixel",
                       a.radius.degrees(),
                       toHours(a.centre->longitude, 0),
                       toDegrees(a.centre->latitude, 0),
                       a.scaleLow,
                       a.scaleHigh);
}

SolveCheck sourcesCheck(const SolveAttempt& a) {
    SolveCheck check{"Enough stars in the frame", a.starlike >= kEnoughSources, {}, {}};
    check.finding = fmt::format("{} sources, {} of them star-like", a.sources, a.starlike);
    if (!check.passed) {
        check.advice =
            fmt::format("So few seldom suffice ({} are needed at least): a longer exposure, or "
                        "check for clouds and focus.",
                        kFewestSources);
    }
    return check;
}

SolveCheck trailCheck(const SolveAttempt& a) {
    SolveCheck check{"Stars are points", a.trailPixels < kTrail, {}, {}};
    if (!(a.fwhmPixels > 0.0) && !(a.trailPixels > 0.0)) {
        check.passed = false;
        check.finding = "no star to tell by";
        check.advice = "Check focus, clouds and the shutter.";
        return check;
    }
    check.finding = a.trailPixels > 0.0 ? fmt::format("trails of {:.0f} pixels", a.trailPixels)
                                        : fmt::format("FWHM {:.1f} pixels", a.fwhmPixels);
    if (!check.passed) {
        check.advice = "The mount moved during the exposure: check tracking and wind.";
    }
    return check;
}

SolveCheck pointingCheck(const SolveAttempt& a) {
    SolveCheck check{"The pointing is known", a.centre.has_value() || a.wholeSky, {}, {}};
    check.finding = a.centre     ? "within " + placeText(a)
                    : a.wholeSky ? "the header gives none; the whole catalogue was searched"
                                 : "the header gives none";
    if (!check.passed) {
        check.advice = "Give the pointing, solve blind, or fit by hand.";
    }
    return check;
}

SolveCheck catalogueCheck(const SolveAttempt& a) {
    SolveCheck check{
        "The catalogue covers the field", !a.centre || a.starsAround >= kEnoughStars, {}, {}};
    check.finding = a.centre ? fmt::format("{} bright stars around the pointing", a.starsAround)
                             : "no pointing to ask for";
    if (!check.passed) {
        check.advice = "Import a catalogue that covers the field, or check the pointing.";
    }
    return check;
}

SolveCheck patternCheck(const SolveAttempt& a) {
    SolveCheck check{"A pattern of stars fits", false, {}, {}};
    if (a.placesTried <= 0.0) {
        check.finding = "not searched";
        return check;
    }
    const std::string odds = a.bestChanceLog10 > -0.5
                                 ? "which chance does as well"
                                 : fmt::format("which chance does once in {:.0f} frames",
                                               std::pow(10.0, -a.bestChanceLog10));
    check.finding = fmt::format("{:.0f} places tried; the best had {} of {} sources on stars, {}; "
                                "once in {:.0f} million is believed",
                                a.placesTried,
                                a.bestMatched,
                                a.bestOf,
                                odds,
                                1e-6 * std::pow(10.0, -kFalseAlarmBound));
    check.advice = a.wholeSky ? "Check that this is one exposure of the sky, or fit by hand."
                              : "Check pointing and scale, solve blind, or fit by hand.";
    return check;
}

} // namespace

std::vector<SolveCheck> checksOf(const SolveAttempt& attempt) {
    return {sourcesCheck(attempt),
            trailCheck(attempt),
            pointingCheck(attempt),
            catalogueCheck(attempt),
            patternCheck(attempt)};
}

std::string explain(const SolveAttempt& a) {
    std::string text =
        fmt::format("{} star-like sources match no pattern of the catalogue", a.starlike);
    if (a.centre) {
        text += " within " + placeText(a);
    }
    text += a.wholeSky ? ", nor anywhere the catalogue covers." : ", nor with a wider hint.";
    text += fmt::format(" {:.0f} places were tried; the best had {} of {} sources on stars. ",
                        a.placesTried,
                        a.bestMatched,
                        a.bestOf);
    for (const SolveCheck& check : checksOf(a)) {
        if (!check.passed) {
            return text + (check.question.starts_with("Stars are") ? check.finding + ". " : "") +
                   check.advice;
        }
    }
    return text;
}

} // namespace pathmark::solve
