#include "core/night/curve_files.h"

#include "core/base/atomic_file.h"
#include "core/catalog/written_table.h"

#include <fmt/format.h>

#include <cctype>

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

/// "(2026) Name" to its number; 0 where a body has none.
std::string numberOf(const std::string& name) {
    const auto close = name.find(')');
    if (!name.empty() && name.front() == '(' && close != std::string::npos) {
        std::string inside = name.substr(1, close - 1);
        if (!inside.empty() && std::all_of(inside.begin(), inside.end(), [](unsigned char c) {
                return std::isdigit(c) != 0;
            })) {
            return inside;
        }
    }
    return "0";
}

std::string alcdefBlock(const BandCurves& band, const TargetCurve& target) {
    std::string data;
    std::string first;
    for (const TargetPoint& point : target.points) {
        if (!point.mag || !point.flags.empty()) {
            continue;
        }
        first = first.empty() ? toIso(point.time, 0) : first;
        data += fmt::format(
            "DATA={:.6f}|{:.3f}|{:.3f}\n", point.time.julian(), *point.mag, point.magError);
    }
    if (data.empty()) {
        return {};
    }
    const std::string bandName(catalog::name(band.band));
    const std::string number = numberOf(target.name);
    return "STARTMETADATA\n"
           "REVISEDDATA=FALSE\n"
           "OBJECTNUMBER=" +
           number + "\nOBJECTNAME=" + target.name +
           "\nMPCDESIG=" + (number == "0" ? target.name : std::string()) +
           "\nSESSIONDATE=" + first.substr(0, 10) + "\nSESSIONTIME=" + first.substr(11, 8) +
           "\nDELIMITER=PIPE\nDIFFERMAGS=FALSE\nFILTER=" + bandName + "\nMAGBAND=" + bandName +
           "\nSTANDARD=INTERNAL\nLTCAPP=NONE\nLTCTYPE=NONE\nREDUCEDMAGS=NONE\n"
           "ENDMETADATA\n" +
           data + "ENDDATA\n";
}

} // namespace

Result<bool> writeCurvesCsv(const std::filesystem::path& path, const LightCurves& curves) {
    return writeWholeText(path, catalog::toCsv(tableOf(curves)));
}

Result<bool> writeCurvesAlcdef(const std::filesystem::path& path, const LightCurves& curves) {
    std::string text;
    for (const BandCurves& band : curves.bands) {
        for (const TargetCurve& target : band.targets) {
            text += alcdefBlock(band, target);
        }
    }
    return writeWholeText(path, text);
}

Result<bool> writeCurvesVotable(const std::filesystem::path& path, const LightCurves& curves) {
    return writeWholeText(path, catalog::toVoTable(tableOf(curves)));
}

} // namespace pathmark::night
