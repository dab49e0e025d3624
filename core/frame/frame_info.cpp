#include "core/frame/frame_info.h"

#include "core/base/sexagesimal.h"
#include "core/base/text.h"
#include "core/frame/dialect.h"
#include "core/frame/frame_time.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <utility>

namespace pathmark::frame {
namespace {

constexpr std::array kKindNames{
    std::pair{FrameKind::Unknown, "unknown"},
    std::pair{FrameKind::Bias, "bias"},
    std::pair{FrameKind::Dark, "dark"},
    std::pair{FrameKind::Flat, "flat"},
    std::pair{FrameKind::FlatDark, "flat-dark"},
    std::pair{FrameKind::Light, "light"},
};

/// What a word in a header or a folder name says of the kind; flat-darks before flats and darks.
FrameKind kindFromWords(std::string_view text) {
    const std::string words = toLower(text);
    const auto has = [&](std::string_view word) { return words.find(word) != std::string::npos; };
    if (has("flat") && has("dark")) {
        return FrameKind::FlatDark;
    }
    if (has("flat")) {
        return FrameKind::Flat;
    }
    if (has("bias") || has("offset") || has("zero")) {
        return FrameKind::Bias;
    }
    if (has("dark")) {
        return FrameKind::Dark;
    }
    if (has("light") || has("object") || has("science")) {
        return FrameKind::Light;
    }
    return FrameKind::Unknown;
}

void describeKind(FrameInfo& info, const Header& header) {
    if (const auto found = findText(header, Quantity::Kind)) {
        info.kind = kindFromWords(found->value);
        if (info.kind != FrameKind::Unknown) {
            info.kindReason = fmt::format("{} = '{}'", found->keyword, found->value);
            return;
        }
    }
    for (const std::string& part :
         {info.path.parent_path().filename().string(), info.path.stem().string()}) {
        info.kind = kindFromWords(part);
        if (info.kind != FrameKind::Unknown) {
            info.kindReason = fmt::format("the name '{}'", part);
            return;
        }
    }
    if (info.midExposure && info.exposureSeconds > 0.0 && (info.pointing || !info.object.empty())) {
        info.kind = FrameKind::Light;
        info.kindReason = "a pointing or an object in the header";
        return;
    }
    info.kindReason = "neither header nor names say what it is";
}

std::optional<SkyPos> findPointing(const Header& header) {
    const auto ra = keywordsOf(Quantity::RightAscension);
    const auto dec = keywordsOf(Quantity::Declination);
    for (std::size_t i = 0; i < ra.size(); ++i) {
        const auto raText = header.text(ra[i]);
        const auto decText = header.text(dec[i]);
        if (!raText || !decText) {
            continue;
        }
        // A bare number is degrees under RA and CRVAL1, hours under the OBJCT keywords' convention.
        const PlainNumber plain =
            ra[i].starts_with("OBJ") ? PlainNumber::Hours : PlainNumber::Degrees;
        const auto raAngle = parseSexagesimal(*raText, true, plain);
        const auto decAngle = parseSexagesimal(*decText, false, PlainNumber::Degrees);
        if (raAngle && decAngle && std::abs(decAngle->degrees()) <= 90.0) {
            return SkyPos{normalised(*raAngle), *decAngle};
        }
    }
    return std::nullopt;
}

/// One name for the spellings of a filter that mean the same.
std::string canonicalFilter(std::string_view text) {
    std::string word(trim(text));
    const std::string lower = toLower(word);
    static const std::array<std::pair<std::string_view, std::string_view>, 13> aliases{{
        {"red", "R"},
        {"green", "G"},
        {"blue", "B"},
        {"lum", "L"},
        {"luminance", "L"},
        {"clear", "C"},
        {"none", "C"},
        {"open", "C"},
        {"johnson v", "V"},
        {"johnson b", "B"},
        {"cousins r", "R"},
        {"cousins i", "I"},
        {"unfiltered", "C"},
    }};
    for (const auto& [alias, canonical] : aliases) {
        if (lower == alias) {
            return std::string(canonical);
        }
    }
    return word;
}

std::optional<double> numberOf(const Header& header, Quantity quantity) {
    const auto found = findNumber(header, quantity);
    return found ? std::optional(found->value) : std::nullopt;
}

std::string textOf(const Header& header, Quantity quantity) {
    const auto found = findText(header, quantity);
    return found ? found->value : std::string();
}

} // namespace

const char* name(FrameKind kind) {
    for (const auto& [known, text] : kKindNames) {
        if (known == kind) {
            return text;
        }
    }
    return "unknown";
}

std::optional<FrameKind> frameKindNamed(std::string_view text) {
    for (const auto& [kind, known] : kKindNames) {
        if (text == known) {
            return kind;
        }
    }
    return std::nullopt;
}

std::optional<double> FrameInfo::scaleArcsec() const {
    if (!pixelMicrometres || !focalMillimetres || *focalMillimetres <= 0.0) {
        return std::nullopt;
    }
    return Angle::radians(*pixelMicrometres * 1e-3 / *focalMillimetres).arcsec();
}

std::string frameStem(const std::filesystem::path& path) {
    const std::string extension = toLower(path.extension().string());
    const bool packed = extension == ".gz" || extension == ".fz";
    return packed ? path.stem().stem().string() : path.stem().string();
}

FrameInfo
describeFrame(const std::filesystem::path& path, int width, int height, const Header& header) {
    FrameInfo info;
    info.path = path;
    info.width = width;
    info.height = height;
    info.exposureSeconds = numberOf(header, Quantity::Exposure).value_or(0.0);
    if (const auto time = findMidExposure(header, info.exposureSeconds)) {
        info.midExposure = time->middle;
        info.timeReason = time->reason;
    } else {
        info.timeReason = "no keyword gives a date with a time of day";
    }
    info.temperatureCelsius = numberOf(header, Quantity::SetTemperature);
    if (!info.temperatureCelsius) {
        info.temperatureCelsius = numberOf(header, Quantity::Temperature);
    }
    info.filter = canonicalFilter(textOf(header, Quantity::Filter));
    info.binningX = static_cast<int>(numberOf(header, Quantity::BinningX).value_or(1.0));
    info.binningY = static_cast<int>(
        numberOf(header, Quantity::BinningY).value_or(static_cast<double>(info.binningX)));
    info.pixelMicrometres = numberOf(header, Quantity::PixelSize);
    info.focalMillimetres = numberOf(header, Quantity::FocalLength);
    info.pointing = findPointing(header);
    info.object = textOf(header, Quantity::Object);
    info.camera = textOf(header, Quantity::Camera);
    info.gainSetting = numberOf(header, Quantity::GainSetting);
    info.electronsPerAdu = numberOf(header, Quantity::ElectronsPerAdu);
    info.readNoiseElectrons = numberOf(header, Quantity::ReadNoise);
    info.bayerPattern = textOf(header, Quantity::Bayer);
    describeKind(info, header);
    return info;
}

} // namespace pathmark::frame
