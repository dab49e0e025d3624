#include "core/frame/fits_cards.h"

#include "core/base/text.h"

#include <algorithm>
#include <array>
#include <set>
#include <vector>

namespace pathmark::frame {
namespace {

Card parseCard(const std::array<char, FLEN_CARD>& record, const std::string& keyword) {
    std::array<char, FLEN_VALUE> value{};
    std::array<char, FLEN_COMMENT> comment{};
    int status = 0;
    fits_parse_value(const_cast<char*>(record.data()), value.data(), comment.data(), &status);
    Card card{keyword, std::string(), comment.data()};
    const std::string_view raw = trim(value.data());
    if (keyword == "HISTORY" || keyword == "COMMENT") {
        card.value = std::string(
            trim(std::string_view(record.data())
                     .substr(std::min<std::size_t>(8, std::string_view(record.data()).size()))));
        card.comment.clear();
    } else if (!raw.empty() && raw.front() == '\'') {
        // Quotes are doubled inside; the closing one may be missing in a damaged card.
        std::string text;
        for (std::size_t i = 1; i < raw.size(); ++i) {
            if (raw[i] == '\'') {
                if (i + 1 < raw.size() && raw[i + 1] == '\'') {
                    ++i;
                } else {
                    break;
                }
            }
            text += raw[i];
        }
        card.value = std::string(trim(text));
    } else if (raw == "T" || raw == "F") {
        card.value = raw == "T";
    } else if (const auto whole = parseInteger(raw)) {
        card.value = *whole;
    } else if (const auto number = parseNumber(raw)) {
        card.value = *number;
    } else {
        card.value = std::string(raw);
    }
    return card;
}

/// Adds the text of a card that goes on to the last one; false where that one has no text that goes on.
///
/// Source   FITS standard 4.0, 4.2.1.2 (CONTINUE).
bool goOn(Card& last, const std::array<char, FLEN_CARD>& record) {
    auto* text = std::get_if<std::string>(&last.value);
    const std::string_view card(record.data());
    const std::size_t open = card.find('\'');
    const std::size_t close = card.rfind('\'');
    if (text == nullptr || !text->ends_with('&') || open == std::string_view::npos ||
        close <= open) {
        return false;
    }
    text->pop_back();
    std::string more(card.substr(open + 1, close - open - 1));
    more.erase(more.find_last_not_of(' ') + 1);
    for (std::size_t quote = more.find("''"); quote != std::string::npos;
         quote = more.find("''", quote + 1)) {
        more.erase(quote, 1);
    }
    *text += more;
    return true;
}

} // namespace

bool isStructuralKeyword(const std::string& keyword) {
    static const std::set<std::string> names{
        "SIMPLE",  "BITPIX",  "NAXIS",    "NAXIS1",  "NAXIS2",   "NAXIS3",   "EXTEND",   "BSCALE",
        "BZERO",   "BLANK",   "PCOUNT",   "GCOUNT",  "XTENSION", "CHECKSUM", "DATASUM",  "END",
        "ZIMAGE",  "ZSIMPLE", "ZTENSION", "ZEXTEND", "ZQUANTIZ", "ZDITHER0", "ZHECKSUM", "ZDATASUM",
        "EXTNAME", "INHERIT", "ZCMPTYPE", "ZBITPIX", "TFIELDS",  "ZNAXIS"};
    // Of a column, a tile or a parameter of a compressed image, each with its number.
    static const std::set<std::string> numbered{
        "TTYPE", "TFORM", "ZTILE", "ZNAME", "ZVAL", "ZNAXIS"};
    const std::size_t end = keyword.find_last_not_of("0123456789") + 1;
    return names.contains(keyword) ||
           (end < keyword.size() && numbered.contains(keyword.substr(0, end)));
}

Header readCards(fitsfile* file) {
    std::vector<Card> cards;
    int status = 0;
    int count = 0;
    fits_get_hdrspace(file, &count, nullptr, &status);
    for (int i = 1; i <= count; ++i) {
        std::array<char, FLEN_CARD> record{};
        std::array<char, FLEN_KEYWORD> keyword{};
        int length = 0;
        status = 0;
        if (fits_read_record(file, i, record.data(), &status) != 0 ||
            fits_get_keyname(record.data(), keyword.data(), &length, &status) != 0) {
            continue;
        }
        if (std::string_view(keyword.data()) != "CONTINUE" || cards.empty() ||
            !goOn(cards.back(), record)) {
            cards.push_back(parseCard(record, keyword.data()));
        }
    }
    Header header;
    for (Card& card : cards) {
        header.add(std::move(card));
    }
    return header;
}

namespace {

/// A commentary card holds 72 characters: longer text goes on in the next one, broken between words.
void writeCommentary(fitsfile* file,
                     int (*write)(fitsfile*, const char*, int*),
                     const std::string& text,
                     int* status) {
    constexpr std::size_t room = 72;
    std::string_view rest = text;
    while (rest.size() > room) {
        const std::size_t blank = rest.substr(0, room + 1).find_last_of(' ');
        const std::size_t cut = blank == std::string_view::npos || blank == 0 ? room : blank;
        write(file, std::string(rest.substr(0, cut)).c_str(), status);
        rest.remove_prefix(cut);
        while (rest.starts_with(' ')) {
            rest.remove_prefix(1);
        }
    }
    write(file, std::string(rest).c_str(), status);
}

} // namespace

void writeCards(fitsfile* file, const Header& header, int* status) {
    for (const Card& card : header.cards()) {
        if (isStructuralKeyword(card.keyword)) {
            continue;
        }
        const char* key = card.keyword.c_str();
        const char* comment = card.comment.empty() ? nullptr : card.comment.c_str();
        if (card.keyword == "HISTORY") {
            writeCommentary(file, fits_write_history, std::get<std::string>(card.value), status);
        } else if (card.keyword == "COMMENT") {
            writeCommentary(file, fits_write_comment, std::get<std::string>(card.value), status);
        } else if (card.keyword.empty()) {
            continue;
        } else if (const auto* words = std::get_if<std::string>(&card.value)) {
            fits_update_key_longstr(file, key, words->c_str(), comment, status);
        } else if (const auto* real = std::get_if<double>(&card.value);
                   real != nullptr && !std::isfinite(*real)) {
            // A header has no word for what is no number but that it is not defined.
            fits_update_key_null(file, key, comment, status);
        } else if (real != nullptr) {
            fits_update_key(file, TDOUBLE, key, const_cast<double*>(real), comment, status);
        } else if (const auto* whole = std::get_if<long long>(&card.value)) {
            fits_update_key(file, TLONGLONG, key, const_cast<long long*>(whole), comment, status);
        } else {
            int flag = std::get<bool>(card.value) ? 1 : 0;
            fits_update_key(file, TLOGICAL, key, &flag, comment, status);
        }
    }
}

} // namespace pathmark::frame
