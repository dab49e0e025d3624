#include "core/catalog/band.h"

#include "core/base/names.h"

#include <algorithm>
#include <array>
#include <cctype>

namespace pathmark::catalog {
namespace {

constexpr std::array kBandNames{
    std::pair{Band::G, "G"},
    std::pair{Band::V, "V"},
    std::pair{Band::R, "R"},
    std::pair{Band::I, "I"},
    std::pair{Band::B, "B"},
    std::pair{Band::SloanG, "g"},
    std::pair{Band::SloanR, "r"},
    std::pair{Band::SloanI, "i"},
    std::pair{Band::SloanZ, "z"},
};

/// Words that say whose system a letter is of.
constexpr std::array<std::string_view, 7> kJohnsonCousins{
    "johnson", "bessell", "bessel", "cousins", "kron", "landolt", "uvbri"};
constexpr std::array<std::string_view, 3> kSloan{"sloan", "sdss", "prime"};

constexpr std::array<std::pair<std::string_view, Band>, 24> kFilterWords{{
    {"", Band::G},      {"c", Band::G},         {"l", Band::G},     {"w", Band::G},
    {"clear", Band::G}, {"luminance", Band::G}, {"lum", Band::G},   {"none", Band::G},
    {"open", Band::G},  {"empty", Band::G},     {"white", Band::G}, {"nofilter", Band::G},
    {"green", Band::V}, {"tg", Band::V},        {"vj", Band::V},    {"red", Band::R},
    {"tr", Band::R},    {"rc", Band::R},        {"rj", Band::R},    {"ic", Band::I},
    {"ij", Band::I},    {"blue", Band::B},      {"tb", Band::B},    {"bj", Band::B},
}};

/// Cuts a word out; true where it was there.
bool cut(std::string& text, std::string_view word) {
    const auto at = text.find(word);
    if (at == std::string::npos) {
        return false;
    }
    text.erase(at, word.size());
    return true;
}

std::optional<Band> sloan(char letter) {
    switch (letter) {
    case 'g': return Band::SloanG;
    case 'r': return Band::SloanR;
    case 'i': return Band::SloanI;
    case 'z': return Band::SloanZ;
    default: return std::nullopt;
    }
}

/// "r" where the system is named, "sr", "rp" and "zs" as makers mark it.
std::optional<Band> sloanOf(std::string_view word, bool isNamed) {
    if (word.size() == 1) {
        return isNamed ? sloan(word[0]) : std::nullopt;
    }
    if (word.size() != 2) {
        return std::nullopt;
    }
    if (word[0] == 's') {
        return sloan(word[1]);
    }
    return word[1] == 'p' || word == "zs" ? sloan(word[0]) : std::nullopt;
}

std::optional<Band> johnsonCousins(char letter) {
    switch (letter) {
    case 'b': return Band::B;
    case 'v': return Band::V;
    case 'r': return Band::R;
    case 'i': return Band::I;
    default: return std::nullopt;
    }
}

} // namespace

std::string_view name(Band band) {
    return nameIn(kBandNames, band);
}

std::optional<Band> bandNamed(std::string_view text) {
    return valueNamed(kBandNames, text);
}

std::optional<Band> bandForFilter(std::string_view filter) {
    std::string letters; // as they are written
    bool isPrimed = false;
    for (const char c : filter) {
        isPrimed = isPrimed || c == '\'';
        if (std::isalnum(static_cast<unsigned char>(c)) != 0) {
            letters += c;
        }
    }
    std::string word = letters;
    std::transform(word.begin(), word.end(), word.begin(), [](unsigned char c) {
        return static_cast<char>(std::tolower(c));
    });
    bool isSloan = isPrimed;
    for (const std::string_view system : kSloan) {
        isSloan = cut(word, system) || isSloan;
    }
    bool isJohnson = false;
    for (const std::string_view system : kJohnsonCousins) {
        isJohnson = cut(word, system) || isJohnson;
    }
    if (const auto band = sloanOf(word, isSloan)) {
        return band;
    }
    if (isJohnson) {
        return word.size() == 1 ? johnsonCousins(word[0]) : std::nullopt;
    }
    if (letters.size() == 1) {
        // Small letters are Sloan's, capitals the others'; the G of a set of colours is its green.
        const char letter = letters[0];
        if (const auto band = sloan(letter)) {
            return band;
        }
        if (letter == 'G') {
            return Band::V;
        }
        if (std::isupper(static_cast<unsigned char>(letter)) != 0) {
            if (const auto band = johnsonCousins(word[0])) {
                return band;
            }
        }
    }
    const auto known = std::find_if(kFilterWords.begin(),
                                    kFilterWords.end(),
                                    [&](const auto& entry) { return entry.first == word; });
    return known == kFilterWords.end() || isSloan ? std::nullopt : std::optional(known->second);
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
    case Band::SloanG: p = {0.2199, -0.6365, -0.1548, 0.0064, 0.0}; break;
    case Band::SloanR: p = {-0.09837, 0.08592, 0.1907, -0.1701, 0.02263}; break;
    case Band::SloanI: p = {-0.293, 0.6404, -0.09609, -0.002104, 0.0}; break;
    case Band::SloanZ: p = {-0.4619, 0.8992, -0.08271, 0.005029, 0.0}; break;
    }
    const double c = std::clamp(colour, -0.5, 4.0);
    double difference = 0.0;
    for (auto term = p.rbegin(); term != p.rend(); ++term) {
        difference = difference * c + *term;
    }
    return magG - difference;
}

} // namespace pathmark::catalog
