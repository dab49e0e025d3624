#pragma once

#include <cairo.h>

#include <string>

namespace pathmark::report {

/// What cairo writes, at the end of a std::string.
inline cairo_status_t appendBytes(void* into, const unsigned char* bytes, unsigned count) {
    static_cast<std::string*>(into)->append(reinterpret_cast<const char*>(bytes), count);
    return CAIRO_STATUS_SUCCESS;
}

} // namespace pathmark::report
