#include "core/night/report/measurement_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <string>

namespace pathmark::night {
namespace {

using catalog::WrittenColumn;

std::vector<WrittenColumn> columns() {
    return {{"body", "char", "", "meta.id;meta.main"},
            {"time_utc", "char", "", "time.epoch"},
            {"ra_deg", "double", "deg", "pos.eq.ra;meta.main"},
            {"dec_deg", "double", "deg", "pos.eq.dec;meta.main"},
            {"sigma_ra_arcsec", "double", "arcsec", "stat.error;pos.eq.ra"},
            {"sigma_dec_arcsec", "double", "arcsec", "stat.error;pos.eq.dec"},
            {"oc_ra_arcsec", "double", "arcsec", "stat.fit.residual;pos.eq.ra"},
            {"oc_dec_arcsec", "double", "arcsec", "stat.fit.residual;pos.eq.dec"},
            {"mag", "double", "mag", "phot.mag"},
            {"sigma_mag", "double", "mag", "stat.error;phot.mag"},
            {"band", "char", "", "instr.bandpass"},
            {"snr", "double", "", "stat.snr"},
            {"rate_arcsec_per_min", "double", "arcsec/min", "pos.pm"},
            {"position_angle_deg", "double", "deg", "pos.posAng"},
            {"x", "double", "pix", "pos.cartesian.x"},
            {"y", "double", "pix", "pos.cartesian.y"},
            {"frames", "double", "", "meta.number"},
            {"picture", "char", "", "meta.file"},
            {"state", "char", "", "meta.code.status"},
            {"reason", "char", "", "meta.note"},
            {"id", "char", "", "meta.id"},
            {"upper_limit_mag", "double", "mag", "phot.mag;stat.max"}};
}

std::vector<std::string> cellsOf(const MeasurementRecord& m) {
    const auto number = [](const char* form, double value) {
        return fmt::format(fmt::runtime(form), value);
    };
    std::vector<std::string> cells{m.body.text(), toIso(m.time)};
    if (m.seen) {
        for (const double angle : {m.sky.longitude.degrees(), m.sky.latitude.degrees()}) {
            cells.push_back(number("{:.8f}", angle));
        }
        for (const double arcsec : {m.raErrorArcsec,
                                    m.decErrorArcsec,
                                    m.observedMinusComputedRa,
                                    m.observedMinusComputedDec}) {
            cells.push_back(number("{:.4f}", arcsec));
        }
        cells.push_back(m.magnitude ? number("{:.4f}", *m.magnitude) : std::string());
        cells.push_back(m.magnitude ? number("{:.4f}", m.magnitudeError) : std::string());
        cells.push_back(m.band);
        cells.push_back(number("{:.2f}", m.snr));
    } else {
        constexpr std::size_t unseen = 10;
        std::fill_n(std::back_inserter(cells), unseen, std::string());
    }
    cells.push_back(number("{:.4f}", m.rateArcsecPerMin));
    cells.push_back(number("{:.2f}", m.positionAngleDegrees));
    const auto pixel = frame::toFits(m.pixel);
    cells.push_back(m.seen ? number("{:.3f}", pixel.x) : std::string());
    cells.push_back(m.seen ? number("{:.3f}", pixel.y) : std::string());
    cells.push_back(std::to_string(m.frames));
    cells.push_back(m.picture.filename().string());
    cells.emplace_back(m.seen ? name(m.state) : "not seen");
    cells.push_back(m.reason);
    cells.push_back(m.id);
    cells.push_back(m.limit ? number("{:.2f}", *m.limit) : std::string());
    return cells;
}

} // namespace

catalog::WrittenTable measurementTable(std::span<const MeasurementRecord> measurements) {
    catalog::WrittenTable table{"measurements", columns(), {}};
    for (const MeasurementRecord& m : measurements) {
        table.rows.push_back(cellsOf(m));
    }
    return table;
}

} // namespace pathmark::night
