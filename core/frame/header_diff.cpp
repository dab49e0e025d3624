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

std::vector<SharedValue> sharedValues(const HeaderLine& line) {
    std::vector<SharedValue> shared;
    for (std::size_t i = 0; i < line.values.size(); ++i) {
        const auto known = std::find_if(shared.begin(), shared.end(), [&](const SharedValue& s) {
            return s.value == line.values[i];
        });
        if (known == shared.end()) {
            shared.push_back({line.values[i], {i}});
        } else {
            known->headers.push_back(i);
        }
    }
    std::stable_sort(shared.begin(), shared.end(), [](const SharedValue& a, const SharedValue& b) {
        return a.headers.size() > b.headers.size();
    });
    return shared;
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
