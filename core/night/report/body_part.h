#pragma once

#include "core/night/report/reported_night.h"
#include "core/report/page/page.h"

#include <string>
#include <vector>

namespace pathmark::night {

/// A body of one night, with what is to be told of it.
struct ToldBody {
    BodyId body;
    std::string title; ///< for people
    bool isNew = false;
    std::vector<const MeasurementRecord*> seen;    ///< kept ones, in order of time
    std::vector<const MeasurementRecord*> notKept; ///< parked and dropped ones that were seen
    std::size_t notSeen = 0;
};

/// The bodies of a night of which something is kept, the new ones first, then the brightest first.
std::vector<ToldBody> toldBodies(const ReportedNight& night);

/// What is told of a body in words, cut-outs, a table and plots. `zero` is the midnight that hours count from.
void tellBody(const ToldBody& body, const Utc& zero, std::vector<report::PageItem>& items);

/// Brightness and residuals against the orbit, over the hours of a night or over days, from `zero`.
void plotBody(const std::vector<const MeasurementRecord*>& seen,
              const Utc& zero,
              bool overDays,
              std::vector<report::PageItem>& items);

/// The midnight before a time.
Utc midnightBefore(const Utc& time);

/// "21:04:33" of a time.
std::string clockOf(const Utc& time);

} // namespace pathmark::night
