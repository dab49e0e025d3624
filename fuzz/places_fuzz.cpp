#include "core/catalog/place_table.h"

#include "fuzz/input.h"

// Any text as another program's table of places.

namespace pathmark {

void fuzz::execute(const Input& input) {
    (void)catalog::placesOf(input.file("table.vot"));
}

} // namespace pathmark
