#include "core/night/curve_files.h"

#include "core/base/atomic_file.h"
#include "core/catalog/written_table.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace {

std::string flagsText(const TargetPoint& point) {
    std::string text;
    for (const std::string& flag : point.flags) {
        text += (text.empty() ? "" : " ") + flag;
    }
    return text;
}

std::string numberOrNothing(const std::optional<double>& value, int digits) {
    return value ? fmt::format("{:.{}f}", *value, digits) : std::string();
}

std::string errorText(const TargetPoint& point) {
    return numberOrNothing(point.mag ? std::optional(point.magError) : std::nullopt, 4);
}

catalog::WrittenTable tableOf(const LightCurves& curves) {
    catalog::WrittenTable table;
    table.name = "light_curves";
    table.columns = {{"band", "char", "", "instr.bandpass"},
                     {"target", "char", "", "meta.id;meta.main"},
                     {"file", "char", "", "meta.id;meta.file"},
                     {"mid_time", "char", "", "time.epoch"},
                     {"bjd_tdb", "double", "d", "time.epoch"},
                     {"mag", "double", "mag", "phot.mag"},
                     {"mag_err", "double", "mag", "stat.error;phot.mag"},
                     {"reduced_mag", "double", "mag", "phot.mag"},
                     {"snr", "double", "", "stat.snr"},
                     {"flags", "char", "", "meta.code.qual"}};
    for (const BandCurves& band : curves.bands) {
        for (const TargetCurve& target : band.targets) {
            for (const TargetPoint& p : target.points) {
                table.rows.push_back({std::string(catalog::name(band.band)),
                                      target.name,
                                      p.file.string(),
                                      toIso(p.time),
                                      fmt::format("{:.7f}", p.bjdTdb),
                                      numberOrNothing(p.mag, 4),
                                      errorText(p),
                                      numberOrNothing(p.reducedMag, 4),
                                      fmt::format("{:.2f}", p.snr),
                                      flagsText(p)});
            }
        }
    }
    return table;
}

} // namespace

Result<bool> writeCurvesCsv(const std::filesystem::path& path, const LightCurves& curves) {
    return writeWholeText(path, catalog::toCsv(tableOf(curves)));
}

Result<bool> writeCurvesAlcdef(const std::filesystem::path& path,
                               const LightCurves& curves,
                               const CurveOrigin& origin) {
    return writeWholeText(path, alcdefText(curves, origin));
}

Result<bool> writeCurvesVotable(const std::filesystem::path& path, const LightCurves& curves) {
    return writeWholeText(path, catalog::toVoTable(tableOf(curves)));
}

Result<bool> writeCurves(const std::filesystem::path& path,
                         const LightCurves& curves,
                         const CurveOrigin& origin) {
    const std::string ending = path.extension().string();
    return ending == ".vot"   ? writeCurvesVotable(path, curves)
           : ending == ".txt" ? writeCurvesAlcdef(path, curves, origin)
                              : writeCurvesCsv(path, curves);
}

} // namespace pathmark::night
