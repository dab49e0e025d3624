#include "desk/evidence/cutout.h"

#include "core/night/report/cut_out.h"
#include "desk/session/picture.h"

namespace pathmark::desk {
namespace {

constexpr int kHalf = 15; ///< pixels of the frame either side

} // namespace

QImage cutout(const night::MeasurementRecord& m) {
    const auto cut = night::cutOutOf(m, kHalf);
    return cut ? stretched(*cut, {}) : QImage();
}

} // namespace pathmark::desk
