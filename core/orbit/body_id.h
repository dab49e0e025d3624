#pragma once

#include <string>
#include <string_view>

namespace pathmark::orbit {

/// A body by its normalised designation: "(2711043)", "2034 EW2", "C/2033 T4", "29P", or an observer's own "c031701".
///
/// Model    What several lists write in several ways is one body: "2711043", "(2711043) Name" and "~8lyV" are
///          "(2711043)"; "C/2033 T4 (Name)" is "C/2033 T4"; "29P/Name" and "0029P" are "29P"; blanks do not count.
///          What is none of these is taken as it stands.
class BodyId {
  public:
    BodyId() = default;

    /// The body that any of its names means.
    static BodyId of(std::string_view name);

    [[nodiscard]] const std::string& text() const { return text_; }

    [[nodiscard]] bool isKnown() const { return !text_.empty(); }

    friend auto operator<=>(const BodyId&, const BodyId&) = default;

  private:
    std::string text_;
};

} // namespace pathmark::orbit
