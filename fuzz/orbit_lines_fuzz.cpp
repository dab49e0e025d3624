#include "core/orbit/formats/comet_line.h"
#include "core/orbit/formats/one_line.h"
#include "core/orbit/formats/orbit_file.h"

#include "fuzz/input.h"

// Any text as lines of orbits, of asteroids and comets, alone and as a file; what is understood is written again.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const std::string text = input.text();
    if (const auto orbit = orbit::parseOneLine(text)) {
        (void)orbit::toOneLine(*orbit, orbit::parseOneLineNotes(text));
    }
    if (const auto orbit = orbit::parseCometLine(text)) {
        (void)orbit::toCometLine(*orbit, "A title");
    }
    (void)orbit::readOrbitFile(input.file("orbits.dat"));
}

} // namespace pathmark
