#pragma once

#include "command/body_choice.h"
#include "command/catalog_choice.h"
#include "command/frame_input.h"
#include "core/night/stack_lights.h"

#include <nlohmann/json_fwd.hpp>

#include <string>
#include <vector>

namespace pathmark::command {

struct SweepArguments {
    Console console;
    FrameArguments input;
    std::string wcsFolder;
    std::vector<double> rate;  ///< least and most, arcsec per minute
    std::vector<double> angle; ///< from and to, degrees
    BodyArguments body;
    std::string indexFolder;
    double falseAlarms = 0.1;
    int groups = 3;
    CatalogArguments catalog;
};

/// Sweeps lights, each field and night for itself, into one document. A field that cannot be searched beside others goes to the failures.
///
/// Errors   stack.no_frames; those of night::sweepLights where there is but one field
Result<nlohmann::json> sweepFields(const SweepArguments& a,
                                   const frame::ReadingRules& rules,
                                   std::vector<night::StackLight> lights,
                                   std::vector<Error>& failures);

} // namespace pathmark::command
