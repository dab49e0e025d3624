#include "core/orbit/formats/designation.h"

#include "fuzz/input.h"

// Any text as a designation: what is unpacked packs again to what it was.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const std::string text = input.text();
    (void)orbit::packDesignation(text);
    if (const auto readable = orbit::unpackDesignation(text)) {
        (void)orbit::packDesignation(*readable);
    }
}

} // namespace pathmark
