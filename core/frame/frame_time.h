#pragma once

#include "core/base/time.h"
#include "core/frame/derive_values.h"

#include <optional>
#include <string>
#include <vector>

namespace pathmark::frame {

struct ExposureTime {
    Utc middle;
    bool fromMiddle =
        false;          ///< a keyword states the middle itself: the exposure does not matter to it
    std::string reason; ///< e.g. "DATE-OBS is the start; half of 60 s added"
    std::optional<double> exposureSeconds; ///< from start and end, where no keyword gives it
    std::vector<std::string> notes;        ///< contradictions between the keywords
    double stepSeconds =
        0.0; ///< 1 where the clock that counts is written to the second alone; 0: finer
};

/// The middle of the exposure from whichever time keywords there are.
///
/// Model    A keyword that states the middle is believed first, then the start, then the end; which keyword
///          means what stands in the table ([time]), a comment that speaks of the middle or the end
///          overrules it. Of a start without fractions of a second and one with, that agree within a
///          second, the finer one counts. TIMESYS of TAI, TT, TDB or GPS is turned into UTC; an offset such as
///          +02:00 is taken off; 24:00:00 is the end of its day. Half an exposure is counted on a steady clock:
///          a leap second in it counts. Keywords that disagree by more than two seconds are noted.
/// Errors   nullopt where no keyword gives a date with a time of day; `problem` then says which was looked at.
/// Accuracy 1 ms (tested).
std::optional<ExposureTime> findMidExposure(const ValueFinder& finder,
                                            std::optional<double> exposureSeconds,
                                            std::string& problem);

} // namespace pathmark::frame
