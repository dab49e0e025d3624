#include "core/orbit/place/earth_turn.h"

#include "fuzz/input.h"

// Any text as the orientation of the Earth.

namespace pathmark {

void fuzz::execute(const Input& input) {
    (void)orbit::EarthTurn::read(input.file("finals.all"));
}

} // namespace pathmark
