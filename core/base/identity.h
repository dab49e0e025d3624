#pragma once

#include <string>
#include <utility>

namespace pathmark {

/// What a thing is known by, as a type of its own: the id of a frame is no id of a series. Everything is joined, looked
/// up, keyed and decided by identities; titles and paths are for people.
template <typename Tag>
class Identity {
  public:
    Identity() = default;

    explicit Identity(std::string text) : text_(std::move(text)) {}

    /// Empty where the identity is not known (yet).
    [[nodiscard]] const std::string& text() const { return text_; }

    [[nodiscard]] bool isKnown() const { return !text_.empty(); }

    friend auto operator<=>(const Identity&, const Identity&) = default;

  private:
    std::string text_;
};

} // namespace pathmark
