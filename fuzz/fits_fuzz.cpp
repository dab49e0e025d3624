#include "fuzz/frame_reading.h"
#include "fuzz/input.h"

// Any bytes as a FITS file opened, described and read through.

namespace pathmark {

void fuzz::execute(const Input& input) {
    readThrough(input.file("x.fits"));
}

} // namespace pathmark
