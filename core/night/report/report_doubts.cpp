#include "core/night/report/report_doubts.h"

namespace pathmark::night {

DoubtList reportDoubts(const DoubtedReport& report) {
    DoubtList doubts;
    doubtLines(report, doubts);
    doubtPlaces(report, doubts);
    doubtTimes(report, doubts);
    doubtBodies(report, doubts);
    doubtStation(report, doubts);
    return doubts;
}

} // namespace pathmark::night
