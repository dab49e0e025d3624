#include "core/frame/header_diff.h"

#include "core/base/text.h"

#include <algorithm>
#include <set>

namespace pathmark::frame {

std::vector<HeaderLine> compareHeaders(std::span<const Header> headers) {
    std::vector<HeaderLine> lines;
    std::set<std::string> seen;
    for (const Header& header : headers) {
        for (const Card& card : header.cards()) {
            const bool words =
                card.keyword.empty() || card.keyword == "COMMENT" || card.keyword == "HISTORY";
            if (words || !seen.insert(card.keyword).second) {
                continue;
            }
            HeaderLine line{card.keyword, {}, false};
            for (const Header& other : headers) {
                const Card* found = other.find(card.keyword);
                line.values.push_back(found == nullptr ? std::string() : cardText(*found));
            }
            line.differs =
                std::any_of(line.values.begin(), line.values.end(), [&](const std::string& v) {
                    return v != line.values.front();
                });
            lines.push_back(std::move(line));
        }
    }
    return lines;
}

bool cardHolds(const Card& card, std::string_view text) {
    const std::string wanted = toLower(text);
    for (const std::string& part : {card.keyword, cardText(card), card.comment}) {
        if (toLower(part).find(wanted) != std::string::npos) {
            return true;
        }
    }
    return false;
}

} // namespace pathmark::frame
