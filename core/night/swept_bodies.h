#pragma once

#include "core/night/records.h"
#include "core/sweep/sweep.h"

#include <optional>
#include <set>
#include <span>
#include <string>

namespace pathmark::night {

/// What a sweep says of a candidate; without a name.
SweptBody sweptBody(const sweep::Candidate& candidate, std::optional<double> magnitude);

/// "s031701": month, day and a number; seven characters, so that it fits an 80-column line and an ADES trkSub. One that `taken` has not yet,
/// which then has it; empty where a night has no more.
std::string nextSweptName(const Utc& night, std::set<std::string>& taken);

/// How differently two move, arcsec per minute.
double motionApart(double rate, double angleDegrees, double otherRate, double otherAngleDegrees);

/// Whether two were one body seen twice: as near as two widths of a star in the middle of both and `halfSeconds` before and after.
bool isSameBody(const SweptBody& a, const SweptBody& b, double halfSeconds, double widthArcsec);

/// The body, known or a candidate of single frames, that a swept light is: as near as the errors of both allow in the middle of the
/// frames, and as fast. Null: none.
///
/// Shapes   `predictions`: of frames of the sweep
const PredictionRecord* recognised(const SweptBody& body,
                                   std::span<const PredictionRecord* const> predictions,
                                   double halfSeconds,
                                   double widthArcsec);

} // namespace pathmark::night
