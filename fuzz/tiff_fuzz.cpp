#include "fuzz/frame_reading.h"
#include "fuzz/input.h"

// Any bytes as a TIFF file.

namespace pathmark {

void fuzz::execute(const Input& input) {
    readThrough(input.file("x.tif"));
}

} // namespace pathmark
