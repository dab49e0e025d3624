#pragma once

#include <dlfcn.h>

#include <cstring>

namespace pathmark::test_support {

/// The function of this name that a preloaded one stands in front of.
template <typename Function>
Function next(const char* name) {
    Function function = nullptr;
    void* found = ::dlsym(RTLD_NEXT, name);
    std::memcpy(&function, &found, sizeof function);
    return function;
}

} // namespace pathmark::test_support
