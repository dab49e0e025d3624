#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::report {

/// What an ADES XML report has that the structure of a general submission has not, or the other way round: a sentence each, with the
/// line; empty: it is valid.
///
/// Source   data/ades-2022.xsd, written out from the standard's tables; checked by libxml2
std::vector<std::string> structureFaults(const std::filesystem::path& schema,
                                         const std::string& xml);

} // namespace pathmark::report
