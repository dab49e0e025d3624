#pragma once

#include "core/base/error.h"
#include "core/calibrate/match.h"
#include "core/frame/equipment.h"

#include <nlohmann/json_fwd.hpp>

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace CLI {
class App;
} // namespace CLI

namespace pathmark::command {

/// A match with its reasons as JSON: feeds, what was passed over and why, warnings.
nlohmann::json matchJson(const calibrate::MasterMatch& match,
                         std::span<const calibrate::FrameGroup> groups);

/// The same for a person: a few indented lines, with `explain` also what was passed over.
std::string matchText(const calibrate::MasterMatch& match,
                      std::span<const calibrate::FrameGroup> groups,
                      bool explain);

/// How a folder is read: --as and --equipment, the same for every verb that reads one.
struct ReadingArguments {
    std::vector<std::string> kinds; ///< KIND=PART
    std::string equipment;

    /// Errors   frame.bad_equipment
    [[nodiscard]] Result<frame::ReadingRules> rules() const;
};

/// --use ROLE=PART, as often as wanted.
void addMasterOption(CLI::App& verb, std::vector<std::string>& use);

/// Errors   calibrate.bad_option
Result<std::vector<calibrate::Override>> mastersNamed(const std::vector<std::string>& use);

void addReadingOptions(CLI::App& verb, ReadingArguments& arguments);

} // namespace pathmark::command
