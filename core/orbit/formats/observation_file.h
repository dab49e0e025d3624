#pragma once

#include "core/base/result.h"
#include "core/orbit/formats/ades.h"

#include <filesystem>

namespace pathmark::orbit {

/// Reads a file of observations, its format recognised from the content: ADES XML, ADES PSV, or MPC 80-column.
///
/// Errors   orbit.not_readable  missing, unreadable, or no line of it is an observation
Result<ObservationList> readObservationFile(const std::filesystem::path& path);

/// The 80-column part of the above: lines of a header and of remarks are passed over.
ObservationList parseEightyColumnLines(const std::string& text);

/// The observations of one body ("2030 DB2", "(3202)", "3202", a packed form, or the observer's own name), in order of
/// time; the same place reported twice (same time and station) counts once.
struct BodyObservations {
    std::vector<Observation> observations;
    int duplicates = 0;
};

BodyObservations observationsOf(const ObservationList& list, const std::string& body);

/// The bodies of a list, each once, in the order they come.
std::vector<std::string> bodiesOf(const ObservationList& list);

} // namespace pathmark::orbit
