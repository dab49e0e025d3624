#pragma once

#include <stdexcept>
#include <string>

namespace pathmark {

[[noreturn]] inline void failExpectation(const char* condition, const char* file, int line) {
    throw std::logic_error(std::string("expected ") + condition + " at " + file + ":" +
                           std::to_string(line));
}

} // namespace pathmark

/// States what the caller owes; on in every build. A broken one is a bug in the caller, so it
/// throws std::logic_error, which only the job runner and main catch.
#define PATHMARK_EXPECTS(condition)                                                                \
    ((condition) ? static_cast<void>(0)                                                            \
                 : ::pathmark::failExpectation(#condition, __FILE__, __LINE__))
