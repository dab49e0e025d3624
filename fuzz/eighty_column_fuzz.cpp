#include "core/orbit/formats/eighty_column.h"
#include "core/orbit/formats/observation_file.h"

#include "fuzz/input.h"

// Any text as observations in 80 columns; what is understood is written again.

namespace pathmark {

void fuzz::execute(const Input& input) {
    for (const auto& observation : orbit::parseEightyColumnLines(input.text()).observations) {
        (void)orbit::toEightyColumn(observation);
    }
}

} // namespace pathmark
