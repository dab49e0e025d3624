#include "core/night/light_band.h"

#include "core/frame/frame_info.h"

namespace pathmark::night {

catalog::Band bandOf(const std::string& filter, std::optional<calibrate::Colour> colour) {
    if (!colour) {
        return catalog::bandForFilter(filter).value_or(catalog::Band::G);
    }
    // The green of a colour camera, and the sum of its cells, of which green is half, are nearest to V.
    switch (*colour) {
    case calibrate::Colour::Red: return catalog::Band::R;
    case calibrate::Colour::Blue: return catalog::Band::B;
    default: return catalog::Band::V;
    }
}

catalog::Band bandOf(const std::string& filter, const frame::Header& header) {
    const auto plane = header.text(frame::kColourKeyword);
    return bandOf(filter, plane ? calibrate::colourNamed(*plane) : std::nullopt);
}

} // namespace pathmark::night
