#include "core/base/sexagesimal.h"
#include "core/base/time.h"

#include "fuzz/input.h"

// Any text as a time and as an angle; what is understood is written and understood again.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const std::string text = input.text();
    if (const auto time = parseUtc(text)) {
        (void)parseUtc(toIso(*time));
    }
    for (const bool hours : {false, true}) {
        if (const auto angle = parseSexagesimal(text, hours, PlainNumber::Degrees)) {
            (void)toHours(*angle, 2);
            (void)toDegrees(*angle, 1);
        }
    }
}

} // namespace pathmark
