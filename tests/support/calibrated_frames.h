#pragma once

#include "core/catalog/band.h"
#include "core/catalog/import.h"
#include "tests/support/moving_frames.h"

#include <fmt/format.h>

#include <fstream>

namespace pathmark::test_support {

inline constexpr double kSeriesExposure = 20.0; ///< seconds
inline constexpr double kSeriesZero = 24.0;     ///< magnitude in V of one electron per second

/// The magnitude in V of so many electrons in a frame of the series.
inline double seriesMagnitude(double electrons) {
    return kSeriesZero - 2.5 * std::log10(electrons / kSeriesExposure);
}

/// Writes a series as it comes from a calibration: f00.fits and so on in `folder`, solved, in electrons, of the filters in turn.
inline void writeCalibrated(const MovingFrames& series,
                            const TemporaryFolder& folder,
                            const std::vector<std::string>& filters = {}) {
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        const auto loaded = frame::readFits(series.frames[i].path);
        ASSERT_TRUE(loaded);
        frame::Header header;
        header.set("EXPTIME", kSeriesExposure, "s");
        header.set("DATE-OBS",
                   toIso(series.frames[i].middle.plusSeconds(-0.5 * kSeriesExposure)),
                   "start");
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

/// The series' stars as a catalogue `name` in `folder`, numbered from 1000 on. All are of one colour (BP-RP 0.8), so that their light in V
/// is that in G and a constant.
inline void
writeStars(const MovingFrames& series, const TemporaryFolder& folder, const std::string& name) {
    const double shift = catalog::toBand(catalog::Band::V, 0.0, 0.8);
    const auto csv = folder / "stars.csv";
    std::ofstream table(csv);
    table << "source_id,ra,dec,phot_g_mean_mag,phot_bp_mean_mag,phot_rp_mean_mag\n";
    for (std::size_t i = 0; i < series.stars.size(); ++i) {
        const double g = seriesMagnitude(series.starElectrons[i]) - shift;
        table << fmt::format("{},{:.8f},{:.8f},{:.5f},{:.5f},{:.5f}\n",
                             1000 + i,
                             series.stars[i].longitude.degrees(),
                             series.stars[i].latitude.degrees(),
                             g,
                             g + 0.4,
                             g - 0.4);
    }
    table.close();
    ASSERT_TRUE(catalog::importTables({csv}, folder.path(), name, {}));
}

} // namespace pathmark::test_support
