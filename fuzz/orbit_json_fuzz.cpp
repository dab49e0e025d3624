#include "core/orbit/formats/orbit_table.h"

#include "fuzz/input.h"

// Any text as orbits in JSON; what is understood is written as a table.

namespace pathmark {

void fuzz::execute(const Input& input) {
    if (const auto list = orbit::parseOrbitJson(input.text())) {
        (void)orbit::toOrbitTable(list->orbits);
    }
}

} // namespace pathmark
