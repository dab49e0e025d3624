#pragma once

#include "core/report/observation.h"

#include <string>
#include <utility>
#include <vector>

namespace pathmark::report {

/// One field of an ADES record; its name is the element's name and the column's head.
using AdesField = std::pair<std::string, std::string>;

/// The fields of one observation in the order of the standard; absent values are left out.
///
/// Source   IAU Astrometry Data Exchange Standard, 2022 version, table of optical observations.
std::vector<AdesField> adesFields(const ReportHead& head, const Observation& observation);

/// The obsContext as (group, [(field, value)]) in the order of the standard.
struct AdesGroup {
    std::string name;
    std::vector<AdesField> fields;
};

std::vector<AdesGroup> adesContext(const ReportHead& head);

/// The version that is written.
constexpr const char* kAdesVersion = "2022";

} // namespace pathmark::report
