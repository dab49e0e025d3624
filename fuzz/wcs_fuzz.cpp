#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"

#include "fuzz/input.h"

// Any bytes as a .wcs file beside a frame: the header, the solution, and the way there and back.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const auto header = frame::readFitsHeader(input.file("x.wcs"));
    if (!header) {
        return;
    }
    if (const auto wcs = frame::readWcs(*header, 640, 480)) {
        (void)wcs->toPixel(wcs->toSky({100.0, 50.0}));
        frame::Header again;
        frame::writeWcs(*wcs, again);
    }
}

} // namespace pathmark
