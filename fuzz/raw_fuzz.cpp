#include "fuzz/frame_reading.h"
#include "fuzz/input.h"

// Any bytes as a still camera's file.

namespace pathmark {

void fuzz::execute(const Input& input) {
    readThrough(input.file("x.dng"));
}

} // namespace pathmark
