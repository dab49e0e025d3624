#include "core/orbit/formats/ades.h"

#include "fuzz/input.h"

// Any text as observations in ADES XML; what is understood is written again.

namespace pathmark {

void fuzz::execute(const Input& input) {
    if (const auto list = orbit::parseAdesXml(input.text())) {
        for (const auto& observation : list->observations) {
            (void)orbit::adesFieldsOf(observation);
        }
    }
}

} // namespace pathmark
