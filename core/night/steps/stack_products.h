#pragma once

#include "core/night/product.h"
#include "core/night/steps/stack_step.h"
#include "core/stack/stack.h"
#include "core/stack/stack_header.h"

#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::night {

// What stacks on stars and on bodies have alike on their way into the night. `chosen` are always indices into `lights`.

std::vector<stack::StackFrame> inputsOf(const std::vector<LightRecord>& lights,
                                        const std::vector<std::size_t>& chosen);

/// `kind` tells a stack on the stars from one on a body that does not move.
ProductKey stackKey(const char* kind,
                    const stack::PixelGrid& grid,
                    const std::vector<stack::StackFrame>& inputs,
                    const std::vector<LightRecord>& lights,
                    const std::vector<std::size_t>& chosen);

/// `key` is that of the product.
stack::StackTitle titleOf(const LightRecord& example,
                          const StarStack& stars,
                          const std::string& what,
                          const std::string& key);

/// Where a stack lies: named by what is on it and by its frames, so that the same stack has the same name in every run.
std::filesystem::path
stackPath(const NightRun& run, const std::string& what, const std::vector<std::size_t>& chosen);

/// Stores a stack that was made: its file, then what is known of it.
Result<bool> storeStack(NightRun& run,
                        const stack::Stack& made,
                        const frame::Header& header,
                        const std::filesystem::path& path,
                        Product product);

} // namespace pathmark::night
