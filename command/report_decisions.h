#pragma once

#include "core/night/night_file.h"

#include <span>
#include <string>
#include <utility>
#include <vector>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// What `decide` is told of lines of the report. A line is named by its id, or all of a body by the body's name.
struct ReportWishes {
    std::vector<std::pair<std::string, std::string>> waive;   ///< line, doubt
    std::vector<std::pair<std::string, std::string>> unwaive; ///< line, doubt
    std::vector<std::pair<std::string, std::string>> bands;   ///< line, band
    std::vector<std::string> noMagnitudes;
    std::vector<std::pair<std::string, double>> clockErrors; ///< line, seconds
    std::vector<std::string> asMeasured;
    std::vector<std::pair<std::string, std::string>> names; ///< candidate, the observer's own name
};

void addReportWishes(CLI::App& verb, ReportWishes& wishes);

/// Adds the decisions that the wishes mean.
///
/// Errors   night.unknown_id, command.wrong_use
Result<bool> addReportDecisions(const ReportWishes& wishes,
                                const std::string& reason,
                                std::span<const night::MeasurementRecord> measurements,
                                const night::NightFile& file,
                                night::Act& act);

} // namespace pathmark::command
