#include "core/night/comet_table.h"

#include "core/base/csv_field.h"

#include <fmt/format.h>

namespace pathmark::night {

std::string cometTable(std::span<const MeasurementRecord> measurements) {
    std::string text;
    for (const MeasurementRecord& m : measurements) {
        if (!m.coma || !m.seen) {
            continue;
        }
        for (const ComaAperture& circle : m.coma->apertures) {
            text += fmt::format(
                "{},{},{:.2f},{},{},{},{:.3f},{:.1f},{},{}\n",
                csvField(m.body.text()),
                toIso(m.time),
                circle.radiusArcsec,
                circle.magnitude ? fmt::format("{:.4f}", *circle.magnitude) : std::string(),
                circle.magnitude ? fmt::format("{:.4f}", circle.magnitudeError) : std::string(),
                csvField(m.band),
                m.coma->slope,
                m.coma->extentArcsec,
                m.coma->centroid,
                m.id);
        }
    }
    return text.empty() ? text
                        : "body,time_utc,radius_arcsec,mag,sigma_mag,band,coma_slope,"
                          "extent_arcsec,centroid,id\n" +
                              text;
}

} // namespace pathmark::night
