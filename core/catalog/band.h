#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace pathmark::catalog {

/// The observing bands that follow from Gaia photometry: Gaia's own G, Johnson's and Cousins' V, R, I, B, and Sloan's.
enum class Band { G, V, R, I, B, SloanG, SloanR, SloanI, SloanZ };

/// As reports name it: a capital letter; Sloan's in small letters.
std::string_view name(Band band);
std::optional<Band> bandNamed(std::string_view name);

/// The band that a filter of this name is nearest to, under the spellings of cameras and observers: "R", "Rc", "Bessell R", "r'", "SDSS r",
/// "sloan_r", "Green", "Luminance". Clear, luminance and no filter at all count as G; the green of a set for colours as V.
/// Nothing where the name says no band: a narrow one, or one without a published relation.
std::optional<Band> bandForFilter(std::string_view filter);

/// Magnitude in a band from Gaia G and BP - RP.
///
/// Domain   -0.5 < BP - RP < 4 or so; outside the polynomial runs away, so the colour is clamped there.
/// Accuracy Scatter from star to star as stated by the source: 0.03 mag; Sloan g 0.07, r, i and z 0.04.
/// Source   Gaia DR3 documentation (ESA 2022), sec. 5.5.1, tables of the Johnson-Cousins and SDSS12 relations.
double toBand(Band band, double magG, double colour);

} // namespace pathmark::catalog
