#include "core/orbit/formats/site_codes.h"

#include "fuzz/input.h"

// Any text as the list of observatory codes.

namespace pathmark {

void fuzz::execute(const Input& input) {
    orbit::SiteCodes codes;
    if (codes.read(input.file("codes.txt"))) {
        for (const auto& [code, site] : codes.sites()) {
            (void)orbit::toListLine(site);
        }
    }
}

} // namespace pathmark
