#pragma once

#include <array>
#include <cstdint>

namespace pathmark::picture {

inline constexpr int kGlyphWidth = 5;
inline constexpr int kGlyphHeight = 7;

/// The rows of a character, the top one first, the left pixel in the highest of five bits; small letters as capital ones, what is not
/// known as a blank.
std::array<std::uint8_t, kGlyphHeight> glyphOf(char character);

} // namespace pathmark::picture
