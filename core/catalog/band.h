#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace pathmark::catalog {

/// The observing bands that follow from Gaia photometry.
enum class Band { G, V, R, I, B };

std::string_view name(Band band);

/// The band meant by a filter's or a report's letter; clear and luminance count as G.
std::optional<Band> bandForFilter(std::string_view filter);

/// Magnitude in a band from Gaia G and BP - RP.
///
/// Domain   -0.5 < BP - RP < 4 or so; outside the polynomial runs away, so the colour is clamped there.
/// Accuracy 0.03 mag scatter from star to star (stated by the source).
/// Source   Gaia DR3 documentation (ESA 2022), sec. 5.5.1, table 5.9, Johnson-Cousins relations.
double toBand(Band band, double magG, double colour);

} // namespace pathmark::catalog
