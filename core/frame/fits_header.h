#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace pathmark::frame {

/// One keyword of a FITS header. Commentary cards (HISTORY, COMMENT) hold their text as value.
struct Card {
    std::string keyword;
    std::variant<std::string, double, long long, bool> value;
    std::string comment;
};

/// The value of a card as text without blanks around it.
std::string cardText(const Card& card);

/// The keywords of one header, in order.
class Header {
  public:
    void add(Card card) { cards_.push_back(std::move(card)); }

    /// Replaces the card of that keyword, or adds one.
    void set(std::string_view keyword,
             std::variant<std::string, double, long long, bool> value,
             std::string_view comment = {});

    void remove(std::string_view keyword);

    [[nodiscard]] const std::vector<Card>& cards() const { return cards_; }

    [[nodiscard]] const Card* find(std::string_view keyword) const;

    /// The value as a number; a string that holds a number counts.
    [[nodiscard]] std::optional<double> number(std::string_view keyword) const;

    /// The value as text without blanks around it; empty strings count as absent.
    [[nodiscard]] std::optional<std::string> text(std::string_view keyword) const;

  private:
    std::vector<Card> cards_;
};

/// What tells a result of ours: the digest of what it was made from.
constexpr const char* kResultKeyword = "PMKEY";

/// True for the header of a file that an earlier run wrote.
bool isOwnResult(const Header& header);

} // namespace pathmark::frame
