#include "command/curve_files.h"

#include "core/base/atomic_file.h"
#include "core/base/csv_field.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <cctype>

namespace pathmark::command {
namespace {

using night::BandCurves;
using night::LightCurves;
using night::TargetCurve;
using night::TargetPoint;

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

template <typename Row>
void forEachPoint(const LightCurves& curves, const Row& row) {
    for (const BandCurves& band : curves.bands) {
        for (const TargetCurve& target : band.targets) {
            for (const TargetPoint& point : target.points) {
                row(band, target, point);
            }
        }
    }
}

std::string xmlText(const std::string& text) {
    std::string safe;
    for (const char c : text) {
        switch (c) {
        case '&': safe += "&amp;"; break;
        case '<': safe += "&lt;"; break;
        case '>': safe += "&gt;"; break;
        default: safe += c;
        }
    }
    return safe;
}

/// "(2026) Name" to its number; 0 where a body has none.
std::string numberOf(const std::string& name) {
    const auto close = name.find(')');
    if (!name.empty() && name.front() == '(' && close != std::string::npos) {
        const std::string inside = name.substr(1, close - 1);
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
    std::string text = "band,target,file,mid_time,bjd_tdb,mag,mag_err,reduced_mag,snr,flags\n";
    forEachPoint(curves,
                 [&](const BandCurves& band, const TargetCurve& target, const TargetPoint& p) {
                     text += fmt::format("{},{},{},{},{:.7f},{},{},{},{:.2f},{}\n",
                                         catalog::name(band.band),
                                         csvField(target.name),
                                         csvField(p.file.string()),
                                         toIso(p.time),
                                         p.bjdTdb,
                                         numberOrNothing(p.mag, 4),
                                         errorText(p),
                                         numberOrNothing(p.reducedMag, 4),
                                         p.snr,
                                         flagsText(p));
                 });
    return writeWholeText(path, text);
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
    struct Field {
        const char* name;
        const char* type; ///< with everything that goes with it
    };

    constexpr std::array fields{
        Field{"band", R"(datatype="char" arraysize="*" ucd="instr.bandpass")"},
        Field{"target", R"(datatype="char" arraysize="*" ucd="meta.id")"},
        Field{"file", R"(datatype="char" arraysize="*" ucd="meta.file")"},
        Field{"mid_time", R"(datatype="char" arraysize="*" ucd="time.epoch" xtype="timestamp")"},
        Field{"bjd_tdb", R"(datatype="double" unit="d" ucd="time.epoch")"},
        Field{"mag", R"(datatype="double" unit="mag" ucd="phot.mag")"},
        Field{"mag_err", R"(datatype="double" unit="mag" ucd="stat.error;phot.mag")"},
        Field{"reduced_mag", R"(datatype="double" unit="mag" ucd="phot.mag")"},
        Field{"snr", R"(datatype="double" ucd="stat.snr")"},
        Field{"flags", R"(datatype="char" arraysize="*" ucd="meta.code")"}};
    std::string text = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n"
                       "<VOTABLE version=\"1.4\" xmlns=\"http://www.ivoa.net/xml/VOTable/v1.3\">\n"
                       "<RESOURCE>\n<TABLE name=\"light_curves\">\n";
    for (const Field& field : fields) {
        text += fmt::format("<FIELD name=\"{}\" {}/>\n", field.name, field.type);
    }
    text += "<DATA><TABLEDATA>\n";
    const auto cell = [](const std::string& value) { return "<TD>" + xmlText(value) + "</TD>"; };
    forEachPoint(
        curves, [&](const BandCurves& band, const TargetCurve& target, const TargetPoint& p) {
            text += "<TR>" + cell(std::string(catalog::name(band.band))) + cell(target.name) +
                    cell(p.file.string()) + cell(toIso(p.time)) +
                    cell(fmt::format("{:.7f}", p.bjdTdb)) + cell(numberOrNothing(p.mag, 4)) +
                    cell(errorText(p)) + cell(numberOrNothing(p.reducedMag, 4)) +
                    cell(fmt::format("{:.2f}", p.snr)) + cell(flagsText(p)) + "</TR>\n";
        });
    text += "</TABLEDATA></DATA>\n</TABLE>\n</RESOURCE>\n</VOTABLE>\n";
    return writeWholeText(path, text);
}

} // namespace pathmark::command
