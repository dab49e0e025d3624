#pragma once

#include "core/base/time.h"
#include "core/frame/derive_values.h"

#include <optional>
#include <string>

namespace pathmark::frame {

struct ExposureTime {
    Utc middle;
    std::string reason;                    ///< e.g. "DATE-OBS is the start; half of 60 s added"
    std::optional<double> exposureSeconds; ///< from start and end, where no keyword gives it
    std::string note;                      ///< a contradiction between the keywords; may be empty
};

/// The middle of the exposure from whichever time keywords there are.
///
/// Model    A keyword that states the middle is believed first, then the start, then the end; which keyword
///          means what stands in the table ([time]), a comment that speaks of the middle or the end
///          overrules it. Of a start without fractions of a second and one with, that agree within a
///          second, the finer one counts. TIMESYS of TAI, TT, TDB or GPS is turned into UTC.
/// Errors   nullopt where no keyword gives a date with a time of day.
/// Accuracy 1 ms (tested).
std::optional<ExposureTime> findMidExposure(const ValueFinder& finder,
                                            std::optional<double> exposureSeconds);

} // namespace pathmark::frame
