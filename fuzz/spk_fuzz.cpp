#include "core/orbit/motion/planets.h"

#include "fuzz/input.h"

// Any bytes as positions of planets (SPK).

namespace pathmark {

void fuzz::execute(const Input& input) {
    if (const auto planets = orbit::Planets::open(input.file("planets.bsp"))) {
        (void)planets->earth(Tdb::julian(2462000.5));
        (void)planets->sun(Tdb::julian(2463000.5));
    }
}

} // namespace pathmark
