#pragma once

namespace pathmark::report {

/// Gives something back to the C library that made it, by that library's own function: for std::unique_ptr.
template <auto Free>
struct Freed {
    template <class T>
    void operator()(T* what) const {
        Free(what);
    }
};

} // namespace pathmark::report
