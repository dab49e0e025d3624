#include "core/catalog/band.h"

#include <algorithm>
#include <array>

namespace pathmark::catalog {

std::string_view name(Band band) {
    switch (band) {
    case Band::G: return "G";
    case Band::V: return "V";
    case Band::R: return "R";
    case Band::I: return "I";
    case Band::B: return "B";
    }
    return "";
}

std::optional<Band> bandForFilter(std::string_view filter) {
    if (filter.empty() || filter == "C" || filter == "L" || filter == "W") {
        return Band::G;
    }
    for (const Band band : {Band::G, Band::V, Band::R, Band::I, Band::B}) {
        if (filter == name(band)) {
            return band;
        }
    }
    if (filter == "Rc" || filter == "r" || filter == "r'") {
        return Band::R;
    }
    if (filter == "Ic" || filter == "i" || filter == "i'") {
        return Band::I;
    }
    return std::nullopt;
}

double toBand(Band band, double magG, double colour) {
    // G - band = sum of p[i] colour^i
    using Terms = std::array<double, 5>;
    Terms p{};
    switch (band) {
    case Band::G: break;
    case Band::V: p = {-0.02704, 0.01424, -0.2156, 0.01426, 0.0}; break;
    case Band::R: p = {-0.02275, 0.3961, -0.1243, -0.01396, 0.003775}; break;
    case Band::I: p = {0.01753, 0.76, -0.0991, 0.0, 0.0}; break;
    case Band::B: p = {0.01448, -0.6874, -0.3604, 0.06718, -0.006061}; break;
    }
    const double c = std::clamp(colour, -0.5, 4.0);
    double difference = 0.0;
    for (auto term = p.rbegin(); term != p.rend(); ++term) {
        difference = difference * c + *term;
    }
    return magG - difference;
}

} // namespace pathmark::catalog
