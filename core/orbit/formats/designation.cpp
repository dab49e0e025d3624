#include "core/orbit/formats/designation.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <cctype>

namespace pathmark::orbit {
namespace {

constexpr std::string_view kBase62 =
    "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";

std::optional<long long> fromBase62(std::string_view text) {
    long long value = 0;
    for (const char c : text) {
        const std::size_t digit = kBase62.find(c);
        if (digit == std::string_view::npos) {
            return std::nullopt;
        }
        value = value * 62 + static_cast<long long>(digit);
    }
    return value;
}

std::string toBase62(long long value, int width) {
    std::string text(static_cast<std::size_t>(width), '0');
    for (auto c = text.rbegin(); c != text.rend(); ++c) {
        *c = kBase62[static_cast<std::size_t>(value % 62)];
        value /= 62;
    }
    return text;
}

/// More digits than any number or cycle has.
constexpr std::size_t kMostDigits = 9;

/// Whether it is a number that can be counted with.
bool isDigits(std::string_view text) {
    for (const char c : text) {
        if (std::isdigit(static_cast<unsigned char>(c)) == 0) {
            return false;
        }
    }
    return !text.empty() && text.size() <= kMostDigits;
}

bool isUpper(char c) {
    return c >= 'A' && c <= 'Z';
}

std::optional<std::string> unpackNumber(std::string_view packed) {
    if (packed.front() == '~') {
        const auto rest = fromBase62(packed.substr(1));
        return rest ? std::optional(fmt::format("({})", 620000 + *rest)) : std::nullopt;
    }
    const std::size_t lead = kBase62.find(packed.front());
    if (lead == std::string_view::npos || !isDigits(packed.substr(1))) {
        return std::nullopt;
    }
    return fmt::format("({})",
                       static_cast<long long>(lead) * 10000 + *parseInteger(packed.substr(1)));
}

/// "K27R17K" or, for comets, the same with a fragment letter or 0 at the end.
std::optional<std::string> unpackProvisional(std::string_view p) {
    if (p.front() == '_') {
        // _QC0000: year in base 62 past 2000, half-month, letter and cycle as 620 + base 62
        const auto year = fromBase62(p.substr(1, 1));
        const auto rest = fromBase62(p.substr(3));
        if (!year || !rest || !isUpper(p[2])) {
            return std::nullopt;
        }
        const long long index = *rest + 25LL * 620;
        const long long letter = index % 25;
        const char second = static_cast<char>('A' + letter + (letter >= 8 ? 1 : 0));
        return fmt::format("{} {}{}{}", 2000 + *year, p[2], second, index / 25);
    }
    const std::size_t century = kBase62.find(p[0]);
    const std::size_t tens = kBase62.find(p[4]);
    if (p.substr(1, 2) == "LS" || !isUpper(p[0]) || century < 18 || century > 22 ||
        !isDigits(p.substr(1, 2)) || !isUpper(p[3]) || tens == std::string_view::npos ||
        !isDigits(p.substr(5, 1)) || !isUpper(p[6])) {
        return std::nullopt;
    }
    const auto cycle = static_cast<long long>(tens) * 10 + (p[5] - '0');
    return fmt::format("{}{} {}{}{}",
                       century,
                       p.substr(1, 2),
                       p[3],
                       p[6],
                       cycle > 0 ? std::to_string(cycle) : std::string());
}

/// Comet part "K31A010": year, half-month, number, fragment.
std::optional<std::string> unpackComet(char type, std::string_view p) {
    const std::size_t century = kBase62.find(p[0]);
    const std::size_t tens = kBase62.find(p[4]);
    if (century < 10 || century > 22 || !isDigits(p.substr(1, 2)) || !isUpper(p[3]) ||
        tens == std::string_view::npos || !isDigits(p.substr(5, 1))) {
        return std::nullopt;
    }
    const auto number = static_cast<long long>(tens) * 10 + (p[5] - '0');
    std::string text = fmt::format("{}/{}{} {}{}", type, century, p.substr(1, 2), p[3], number);
    if (std::islower(static_cast<unsigned char>(p[6])) != 0) {
        text +=
            fmt::format("-{}", static_cast<char>(std::toupper(static_cast<unsigned char>(p[6]))));
    }
    return text;
}

std::optional<std::string> packNumber(std::string_view digits) {
    const auto number = parseInteger(digits);
    if (!number || *number < 1) {
        return std::nullopt;
    }
    if (*number < 620000) {
        return toBase62(*number / 10000, 1) + fmt::format("{:04}", *number % 10000);
    }
    const long long rest = *number - 620000;
    return rest < 62LL * 62 * 62 * 62 ? std::optional("~" + toBase62(rest, 4)) : std::nullopt;
}

/// "2027 RK17" in seven characters.
std::optional<std::string> packProvisional(std::string_view text) {
    if (text.size() < 7 || text[4] != ' ' || !isDigits(text.substr(0, 4)) || !isUpper(text[5]) ||
        !isUpper(text[6])) {
        return std::nullopt;
    }
    const long long year = *parseInteger(text.substr(0, 4));
    const std::string_view digits = text.substr(7);
    if (year < 1800 || year > 2299 || (!digits.empty() && !isDigits(digits))) {
        return std::nullopt;
    }
    const long long cycle = digits.empty() ? 0 : *parseInteger(digits);
    if (cycle < 620) {
        return fmt::format("{}{:02}{}{}{}{}",
                           kBase62[static_cast<std::size_t>(year / 100)],
                           year % 100,
                           text[5],
                           kBase62[static_cast<std::size_t>(cycle / 10)],
                           cycle % 10,
                           text[6]);
    }
    const long long letter = text[6] - 'A' - (text[6] > 'I' ? 1 : 0);
    const long long rest = (cycle - 620) * 25 + letter;
    if (year < 2000 || year > 2061 || rest >= 62LL * 62 * 62 * 62) {
        return std::nullopt;
    }
    return fmt::format(
        "_{}{}{}", kBase62[static_cast<std::size_t>(year - 2000)], text[5], toBase62(rest, 4));
}

/// "C/2031 A1" in eight characters.
std::optional<std::string> packComet(std::string_view text) {
    const std::string_view rest = text.substr(2);
    const std::size_t dash = rest.find('-');
    const std::string_view body = rest.substr(0, dash);
    if (body.size() < 7 || body[4] != ' ' || !isDigits(body.substr(0, 4)) || !isUpper(body[5]) ||
        !isDigits(body.substr(6))) {
        return std::nullopt;
    }
    const long long year = *parseInteger(body.substr(0, 4));
    const long long number = *parseInteger(body.substr(6));
    if (year < 1000 || year > 2299 || number > 619) {
        return std::nullopt;
    }
    const char fragment =
        dash == std::string_view::npos || dash + 1 >= rest.size()
            ? '0'
            : static_cast<char>(std::tolower(static_cast<unsigned char>(rest[dash + 1])));
    return fmt::format("{}{}{:02}{}{}{}{}",
                       text[0],
                       kBase62[static_cast<std::size_t>(year / 100)],
                       year % 100,
                       body[5],
                       kBase62[static_cast<std::size_t>(number / 10)],
                       number % 10,
                       fragment);
}

} // namespace

std::optional<std::string> unpackDesignation(std::string_view packed) {
    const std::string_view p = trim(packed);
    if (p.size() == 5 && isDigits(p.substr(0, 4)) && (p[4] == 'P' || p[4] == 'D')) {
        return fmt::format("{}{}", *parseInteger(p.substr(0, 4)), p[4]);
    }
    if (p.size() == 5) {
        return unpackNumber(p);
    }
    if (p.size() == 7) {
        return unpackProvisional(p);
    }
    if (p.size() == 8 && std::string_view("CPDXAI").find(p[0]) != std::string_view::npos) {
        return unpackComet(p[0], p.substr(1));
    }
    return std::nullopt;
}

std::optional<std::string> packDesignation(std::string_view readable) {
    const std::string_view text = trim(readable);
    if (text.size() > 2 && text.front() == '(' && text.back() == ')' &&
        isDigits(text.substr(1, text.size() - 2))) {
        return packNumber(text.substr(1, text.size() - 2));
    }
    if (text.size() > 2 && text[1] == '/') {
        return packComet(text);
    }
    if (text.size() >= 2 && (text.back() == 'P' || text.back() == 'D') &&
        isDigits(text.substr(0, text.size() - 1))) {
        const long long number = *parseInteger(text.substr(0, text.size() - 1));
        return number < 10000 ? std::optional(fmt::format("{:04}{}", number, text.back()))
                              : std::nullopt;
    }
    return isDigits(text) ? packNumber(text) : packProvisional(text);
}

} // namespace pathmark::orbit
