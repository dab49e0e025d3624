#include "core/survey/survey.h"

#include "fuzz/input.h"

// Any text as the properties of a sky survey.

namespace pathmark {

void fuzz::execute(const Input& input) {
    if (const auto properties = survey::readProperties(input.text())) {
        (void)properties->pixelArcsec();
    }
}

} // namespace pathmark
