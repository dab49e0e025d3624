#include "core/orbit/formats/ades.h"

#include "fuzz/input.h"

// Any text as observations in ADES PSV; what is understood is written again.

namespace pathmark {

void fuzz::execute(const Input& input) {
    if (const auto list = orbit::parseAdesPsv(input.text())) {
        for (const auto& observation : list->observations) {
            (void)orbit::adesFieldsOf(observation);
        }
    }
}

} // namespace pathmark
