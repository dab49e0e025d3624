#include "core/base/angle.h"

struct Ecliptic;

double distance(const pathmark::SkyPos& a, const pathmark::Direction<Ecliptic>& b) {
#ifdef WRONG
    return pathmark::separation(a, b).radians();
#else
    return pathmark::separation(a, a).radians() + pathmark::separation(b, b).radians();
#endif
}
