#pragma once

#include "core/stack/stack.h"

#include <optional>
#include <span>
#include <string>

namespace pathmark::stack {

/// What a stack's header says beyond what its frames and pixels do.
struct StackTitle {
    std::string object;           ///< what stands still in it: "stars", or a body
    double exposureSeconds = 0.0; ///< of the frame whose electrons these are
    std::string filter;
    std::optional<double> zeroPoint; ///< magnitude of one electron per second
    std::string band;                ///< of the zero point
    std::vector<std::string> added;  ///< names of the frames; none: of their files
    std::string key;                 ///< of the product; empty where it is none
};

/// The header of a stack, its solution and its weighted middle in it.
frame::Header headerOf(std::span<const StackFrame> frames,
                       const Stack& stack,
                       const StackOptions& options,
                       const frame::Wcs& wcs,
                       const StackTitle& title);

} // namespace pathmark::stack
