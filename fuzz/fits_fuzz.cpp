#include "core/frame/folder_scan.h"
#include "core/frame/open_frame.h"

#include "fuzz/input.h"

// Any bytes as a FITS file: opened, described and read through.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const auto path = input.file("x.fits");
    const auto info = frame::describeFile(path, {});
    if (info && static_cast<long long>(info->width) * info->height < 4'000'000) {
        (void)frame::readFrame(path);
    }
}

} // namespace pathmark
