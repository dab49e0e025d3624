#include "core/frame/cell_lean.h"

#include "core/frame/frame_info.h"

#include <algorithm>
#include <cmath>

namespace pathmark::frame {
namespace {

constexpr double kUsualLean = 0.04;

} // namespace

double leanError(const Header& header) {
    const auto x = header.number(kLeanXKeyword);
    const auto y = header.number(kLeanYKeyword);
    if (x && y) {
        return leanError(PixelPos{*x, *y});
    }
    const bool isSum = header.text(kColourKeyword).value_or("") == "sum";
    const bool isOfFour = header.text(kPatternKeyword).value_or("").size() == 4;
    return isSum && isOfFour ? leanError(PixelPos{kUsualLean, kUsualLean}) : 0.0;
}

double leanError(const PixelPos& ofStars) {
    return 0.5 * std::max(std::abs(ofStars.x), std::abs(ofStars.y));
}

} // namespace pathmark::frame
