#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace pathmark::orbit {

/// The readable form of a packed minor-planet designation: "K27R17K" to "2027 RK17", "~9cLJ" to
/// "(2912345)", "J95X00A" to "1995 XA", "C1234" to "(121234)"; comets "CK31A010" to "C/2031 A1", "0029P" to "29P".
///
/// Errors   nullopt for anything that is no packed designation
/// Source   Minor Planet Center, "Packed Provisional and Permanent Designations" (with the tilde form of
///          2020 for numbers from 620000 and the underscore form for cycle counts from 620).
std::optional<std::string> unpackDesignation(std::string_view packed);

/// The packed form of a readable designation, unpackDesignation backwards: five characters of a number,
/// seven of a provisional designation, twelve columns' worth for comets.
std::optional<std::string> packDesignation(std::string_view readable);

} // namespace pathmark::orbit
