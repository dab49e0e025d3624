#pragma once

#include "core/base/result.h"
#include "core/frame/fits_header.h"

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark {
class Toml;
} // namespace pathmark

namespace pathmark::frame {

/// A keyword and what a bare number under it means, e.g. {"EXPMS", "ms"}; no unit: the section's own.
struct KeywordRule {
    std::string keyword;
    std::string unit;
};

/// Right ascension and declination that belong together.
struct PointingRule {
    std::string rightAscension;
    std::string declination;
    std::string unit; ///< "deg" or "h", of a bare right ascension
};

/// The words of all header dialects: which keyword says what, in which unit, and which spellings mean
/// the same. One file holds those that ship (header_words.toml); an observer's own come before them.
class HeaderTable {
  public:
    /// The table that ships.
    static const HeaderTable& builtIn();

    /// Reads further words in front of those that are there.
    ///
    /// Errors   frame.bad_equipment  not TOML, an unknown section or key (naming the nearest), a wrong type
    Result<bool> extend(std::string_view toml, const std::string& source);
    Result<bool> extend(const Toml& words, const std::string& source);

    /// The keywords of a section such as "exposure"; of "time" such as "time.start".
    [[nodiscard]] const std::vector<KeywordRule>& keywords(const std::string& section) const;

    [[nodiscard]] const std::vector<PointingRule>& pointings() const { return pointings_; }

    /// One name for the spellings of a filter that mean the same; others as they are.
    [[nodiscard]] std::string filterName(std::string_view text) const;

    /// True for names of a filter wheel's empty place.
    [[nodiscard]] bool isOpenFilter(std::string_view text) const;

    /// Which of flat_dark, flat, bias, dark, light the words speak of; empty for none.
    [[nodiscard]] std::string kindOf(std::string_view words) const;

  private:
    std::map<std::string, std::vector<KeywordRule>> keywords_;
    std::vector<PointingRule> pointings_;
    std::map<std::string, std::string> filters_;
    std::vector<std::string> openFilters_;
    std::map<std::string, std::vector<std::string>> kinds_;
};

/// The text of header_words.toml.
const char* builtInHeaderWords();

} // namespace pathmark::frame
