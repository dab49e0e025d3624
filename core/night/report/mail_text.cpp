#include "core/night/report/mail_text.h"

#include "core/base/base64.h"
#include "core/base/text.h"
#include "core/base/time.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <string_view>

namespace pathmark::night {
namespace {

constexpr std::size_t kLongestLine = 900; ///< the standard allows 998
constexpr std::size_t kBase64Line = 76;

bool isPlain(std::string_view text) {
    return std::all_of(
        text.begin(), text.end(), [](unsigned char c) { return c >= 0x20U && c < 0x7FU; });
}

/// Without what would begin another header.
std::string oneLine(std::string text) {
    std::replace_if(
        text.begin(), text.end(), [](unsigned char c) { return c < 0x20U || c == 0x7FU; }, ' ');
    return text;
}

std::string subjectOf(const std::string& subject) {
    const std::string line = oneLine(subject);
    return isPlain(line) ? line : fmt::format("=?UTF-8?B?{}?=", toBase64(line));
}

/// "Fri, 17 Mar 2034 21:02:41 +0000"
std::string dateOf(const std::string& iso) {
    static constexpr std::array days{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"};
    static constexpr std::array months{
        "Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};
    const auto time = parseUtc(iso);
    if (!time) {
        return {};
    }
    const CalendarDay day = toCalendar(*time);
    const auto weekday = static_cast<std::size_t>(static_cast<long long>(time->julian() + 0.5) % 7);
    return fmt::format("{}, {:02} {} {} {} +0000",
                       days[weekday],
                       day.day,
                       months[static_cast<std::size_t>(day.month - 1)],
                       day.year,
                       toIso(*time, 0).substr(11, 8));
}

std::string withLineEnds(std::string_view text) {
    std::string ended;
    for (const std::string_view line : split(text, '\n')) {
        ended += std::string(line) + "\r\n";
    }
    return ended;
}

} // namespace

std::string toMailText(const Mail& mail) {
    std::string head;
    const auto add = [&](const char* key, const std::string& value) {
        head += fmt::format("{}: {}\r\n", key, value);
    };
    add("Date", dateOf(mail.date));
    if (!mail.from.empty()) {
        add("From", oneLine(mail.from));
    }
    add("To", oneLine(mail.to));
    add("Subject", subjectOf(mail.subject));
    add("Message-ID", fmt::format("<{}@pathmark.invalid>", mail.id));
    add("MIME-Version", "1.0");
    add("Content-Type", "text/plain; charset=UTF-8");
    const auto lines = split(mail.text, '\n');
    const bool isShort = std::all_of(lines.begin(), lines.end(), [](std::string_view line) {
        return line.size() < kLongestLine;
    });
    add("Content-Transfer-Encoding", isShort ? "8bit" : "base64");
    std::string body = withLineEnds(mail.text);
    if (!isShort) {
        const std::string packed = toBase64(body);
        body.clear();
        for (std::size_t i = 0; i < packed.size(); i += kBase64Line) {
            body += packed.substr(i, kBase64Line) + "\r\n";
        }
    }
    return head + "\r\n" + body;
}

} // namespace pathmark::night
