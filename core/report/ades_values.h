#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/ades.h"
#include "core/report/observation.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::report {

using orbit::AdesField;

/// The fields of one observation in the order of the standard; absent values are left out. For an observation with an identity,
/// see adesIdentity.
///
/// Source   IAU Astrometry Data Exchange Standard, 2022 version, table of optical observations.
std::vector<AdesField> adesFields(const ReportHead& head, const Observation& observation);

/// The fields of all observations that have an identity; bodies without one are named in `leftOut`, each once.
///
/// Errors   report.nothing_to_report
Result<std::vector<std::vector<AdesField>>> adesRecords(const ReportHead& head,
                                                        std::span<const Observation> observations,
                                                        std::vector<Error>& leftOut);

/// The obsContext as (group, [(field, value)]) in the order of the standard.
struct AdesGroup {
    std::string name;
    std::vector<AdesField> fields;
};

/// The field that says which body it is: permID for numbered bodies (digits, "29P"), provID for provisional designations, trkSub for the
/// observer's own names and whatever else a trkSub can hold; nullopt: the standard has no form for it.
std::optional<AdesField> adesIdentity(const Observation& observation);

std::vector<AdesGroup> adesContext(const ReportHead& head);

} // namespace pathmark::report
