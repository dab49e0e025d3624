#pragma once

#include "core/frame/fits_header.h"

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace pathmark::frame {

/// The quantities that cameras and capture software write under different names.
enum class Quantity {
    Kind,
    Exposure,
    SetTemperature,
    Temperature,
    Filter,
    BinningX,
    BinningY,
    PixelSize,
    FocalLength,
    RightAscension,
    Declination,
    Object,
    Camera,
    GainSetting,
    ElectronsPerAdu,
    ReadNoise,
    Bayer,
};

/// The keywords under which a quantity is looked up, the most trusted first.
std::span<const std::string_view> keywordsOf(Quantity quantity);

struct FoundText {
    std::string keyword;
    std::string value;
};

struct FoundNumber {
    std::string keyword;
    double value = 0.0;
};

/// The first keyword of the quantity that has a value.
std::optional<FoundText> findText(const Header& header, Quantity quantity);
std::optional<FoundNumber> findNumber(const Header& header, Quantity quantity);

} // namespace pathmark::frame
