#pragma once

#include "core/base/error.h"

#include <tl/expected.hpp>

#include <string>
#include <utility>

namespace pathmark {

/// A value, or the reason why there is none.
template <typename T>
using Result = tl::expected<T, Error>;

inline tl::unexpected<Error> fail(ErrorId id, std::string detail, std::string subject = {}) {
    return tl::make_unexpected(Error{id, std::move(detail), std::move(subject)});
}

inline tl::unexpected<Error> fail(Error error) {
    return tl::make_unexpected(std::move(error));
}

} // namespace pathmark
