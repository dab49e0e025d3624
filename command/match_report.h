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

/// --use ROLE=PART, as often as wanted.
void addMasterOption(CLI::App& verb, std::vector<std::string>& use);

/// Errors   calibrate.bad_option
Result<std::vector<calibrate::Override>> mastersNamed(const std::vector<std::string>& use);

} // namespace pathmark::command
