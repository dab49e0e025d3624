#pragma once

#include <fitsio.h>

namespace pathmark {

/// Makes the FITS library ready, before the first file is opened or created. By itself it would do so in the first call that opens a
/// file, and two threads that open their first at one moment would both, the one tearing away the lock that the other holds.
inline void readyFitsLibrary() {
    static const int ready = fits_init_cfitsio();
    static_cast<void>(ready);
}

} // namespace pathmark
