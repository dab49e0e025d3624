#pragma once

#include "core/night/stack_lights.h"
#include "core/stack/marked_path.h"

#include <filesystem>
#include <span>
#include <vector>

namespace pathmark::night {

/// Reads marks: CSV with the columns file, x, y (pixels of the frame, the first counts 1) or file, ra, dec (degrees), in any order.
/// Files are told by their names.
///
/// Errors   stack.bad_marks  the table cannot be read, has other columns, or names a frame that is not among the lights
Result<std::vector<stack::Mark>> readMarks(const std::filesystem::path& path,
                                           std::span<const StackLight> lights);

} // namespace pathmark::night
