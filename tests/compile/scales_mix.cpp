#include "core/base/time.h"

double elapsed(const pathmark::Utc& utc, const pathmark::Tdb& tdb) {
#ifdef WRONG
    return utc.secondsSince(tdb);
#else
    return utc.secondsSince(utc) + tdb.secondsSince(tdb);
#endif
}
