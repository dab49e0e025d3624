#pragma once

#include "core/orbit/formats/ades.h"
#include "core/report/observation.h"

#include <string>
#include <vector>

namespace pathmark::report {

using orbit::AdesField;

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

} // namespace pathmark::report
