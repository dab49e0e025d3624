#include "core/frame/dialect.h"

#include <array>

namespace pathmark::frame {
namespace {

using Words = std::span<const std::string_view>;

constexpr std::array<std::string_view, 4> kKind{"IMAGETYP", "FRAMETYP", "OBSTYPE", "FRAME"};
constexpr std::array<std::string_view, 5> kExposure{
    "EXPTIME", "EXPOSURE", "EXP_TIME", "TELAPSE", "ITIME"};
constexpr std::array<std::string_view, 3> kSetTemperature{"SET-TEMP", "SETTEMP", "CCD-TSET"};
constexpr std::array<std::string_view, 5> kTemperature{
    "CCD-TEMP", "CCDTEMP", "DET-TEMP", "CCD_TEMP", "TEMPERAT"};
constexpr std::array<std::string_view, 4> kFilter{"FILTER", "FILTNAM", "FILTER1", "INSFLNAM"};
constexpr std::array<std::string_view, 3> kBinningX{"XBINNING", "CCDXBIN", "BINX"};
constexpr std::array<std::string_view, 3> kBinningY{"YBINNING", "CCDYBIN", "BINY"};
constexpr std::array<std::string_view, 3> kPixelSize{"XPIXSZ", "PIXSIZE1", "PIXSIZE"};
constexpr std::array<std::string_view, 3> kFocalLength{"FOCALLEN", "FOCAL", "TELFOCAL"};
constexpr std::array<std::string_view, 6> kRightAscension{
    "RA", "OBJCTRA", "CRVAL1", "TELRA", "RA_OBJ", "OBJRA"};
constexpr std::array<std::string_view, 6> kDeclination{
    "DEC", "OBJCTDEC", "CRVAL2", "TELDEC", "DEC_OBJ", "OBJDEC"};
constexpr std::array<std::string_view, 2> kObject{"OBJECT", "TARGET"};
constexpr std::array<std::string_view, 3> kCamera{"INSTRUME", "CAMERA", "DETECTOR"};
constexpr std::array<std::string_view, 2> kGainSetting{"GAIN", "GAINSET"};
constexpr std::array<std::string_view, 3> kElectronsPerAdu{"EGAIN", "GAIN_E", "CCDGAIN"};
constexpr std::array<std::string_view, 4> kReadNoise{"RDNOISE", "READNOIS", "RON", "ENOISE"};
constexpr std::array<std::string_view, 3> kBayer{"BAYERPAT", "COLORTYP", "CFAPAT"};

} // namespace

std::span<const std::string_view> keywordsOf(Quantity quantity) {
    switch (quantity) {
    case Quantity::Kind: return kKind;
    case Quantity::Exposure: return kExposure;
    case Quantity::SetTemperature: return kSetTemperature;
    case Quantity::Temperature: return kTemperature;
    case Quantity::Filter: return kFilter;
    case Quantity::BinningX: return kBinningX;
    case Quantity::BinningY: return kBinningY;
    case Quantity::PixelSize: return kPixelSize;
    case Quantity::FocalLength: return kFocalLength;
    case Quantity::RightAscension: return kRightAscension;
    case Quantity::Declination: return kDeclination;
    case Quantity::Object: return kObject;
    case Quantity::Camera: return kCamera;
    case Quantity::GainSetting: return kGainSetting;
    case Quantity::ElectronsPerAdu: return kElectronsPerAdu;
    case Quantity::ReadNoise: return kReadNoise;
    case Quantity::Bayer: return kBayer;
    }
    return {};
}

std::optional<FoundText> findText(const Header& header, Quantity quantity) {
    for (const std::string_view keyword : keywordsOf(quantity)) {
        if (auto value = header.text(keyword)) {
            return FoundText{std::string(keyword), *value};
        }
    }
    return std::nullopt;
}

std::optional<FoundNumber> findNumber(const Header& header, Quantity quantity) {
    for (const std::string_view keyword : keywordsOf(quantity)) {
        if (const auto value = header.number(keyword)) {
            return FoundNumber{std::string(keyword), *value};
        }
    }
    return std::nullopt;
}

} // namespace pathmark::frame
