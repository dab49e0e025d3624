#pragma once

#include "tests/support/moving_frames.h"

#include <fmt/format.h>

namespace pathmark::test_support {

/// Writes a series as it comes from a calibration: f00.fits and so on in `folder`, solved, in electrons, of the filters in turn.
inline void writeCalibrated(const MovingFrames& series,
                            const TemporaryFolder& folder,
                            const std::vector<std::string>& filters = {}) {
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        const auto loaded = frame::readFits(series.frames[i].path);
        ASSERT_TRUE(loaded);
        frame::Header header;
        header.set("EXPTIME", 20.0, "s");
        header.set("DATE-OBS", toIso(series.frames[i].middle.plusSeconds(-10.0)), "start");
        header.set("GAIN", 1.0, "electrons per unit");
        header.set("BUNIT", std::string("electron"), "");
        if (!filters.empty()) {
            header.set("FILTER", filters[i % filters.size()], "");
        }
        frame::writeWcs(series.frames[i].place.wcs, header);
        ASSERT_TRUE(
            frame::writeFits(folder / fmt::format("f{:02}.fits", i), loaded->image, header));
    }
}

} // namespace pathmark::test_support
