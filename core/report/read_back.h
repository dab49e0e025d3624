#pragma once

#include "core/report/observation.h"

#include <span>
#include <string>
#include <vector>

namespace pathmark::report {

enum class Form { Psv, Xml, EightyColumn };

/// Reads a report again and holds it against what it was to say: a sentence for each difference beyond the rounding of its form; empty:
/// there is none. Bodies that the form has no designation for are passed over.
std::vector<std::string> readBackDifferences(Form form,
                                             const std::string& text,
                                             const ReportHead& head,
                                             std::span<const Observation> observations);

} // namespace pathmark::report
