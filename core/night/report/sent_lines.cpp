#include "core/night/report/sent_lines.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kSamePlace = 0.02;     ///< arcsec
constexpr double kSameSentTime = 0.002; ///< seconds
constexpr double kSameMagnitude = 0.005;
constexpr double kOneLightSeconds =
    0.5; ///< seconds between two lines of one body that are of one light

bool isChanged(const SentLine& sent, const report::Observation& line) {
    return separation(sent.sky, line.sky).arcsec() > kSamePlace ||
           std::abs(line.time.secondsSince(sent.time)) > kSameSentTime ||
           sent.magnitude.has_value() != line.magnitude.has_value() ||
           (line.magnitude && std::abs(*sent.magnitude - *line.magnitude) > kSameMagnitude);
}

/// "2034-03-17 21:02" of an ISO time.
std::string shortTime(const std::string& iso) {
    return iso.size() < 16 ? iso : iso.substr(0, 10) + " " + iso.substr(11, 5);
}

std::string fateWords(const Sending& sending, const SentLine& line) {
    const std::string when = shortTime(sending.at);
    switch (sending.state) {
    case SendingState::Taken:
        return line.isRefused ? fmt::format("Refused on {}: {}", when, line.words)
                              : fmt::format("Sent on {}, receipt {}.", when, sending.receipt);
    case SendingState::Refused: return fmt::format("Refused on {}: {}", when, sending.words);
    case SendingState::Mailed: return fmt::format("Written as mail on {}.", when);
    case SendingState::Waiting: return "It waits to be sent.";
    case SendingState::Underway: return "It is being sent.";
    case SendingState::Unsure:
        return fmt::format("Sent on {}; it is not known whether it arrived.", when);
    case SendingState::Withdrawn: break;
    }
    return {};
}

} // namespace

SentLines::SentLines(std::span<const Sending> sendings) {
    for (const Sending& sending : sendings) {
        if (sending.state == SendingState::Withdrawn) {
            continue;
        }
        for (const SentLine& line : sending.lines) {
            byId_.insert_or_assign(line.line, Sent{&sending, &line});
            byBody_.emplace(line.body, Sent{&sending, &line});
        }
    }
}

const SentLines::Sent* SentLines::find(const report::Observation& line) const {
    if (const auto known = byId_.find(line.id); known != byId_.end()) {
        return &known->second;
    }
    const Sent* found = nullptr;
    const auto [first, last] = byBody_.equal_range(line.body);
    for (auto it = first; it != last; ++it) {
        const SentLine& sent = *it->second.line;
        if (!sent.isRefused && std::abs(sent.time.secondsSince(line.time)) < kOneLightSeconds) {
            found = &it->second;
        }
    }
    return found;
}

std::optional<LineFate> SentLines::of(const report::Observation& line) const {
    const Sent* sent = find(line);
    if (sent == nullptr) {
        return std::nullopt;
    }
    LineFate fate;
    const Sending& sending = *sent->sending;
    fate.state = sent->line->isRefused ? SendingState::Refused : sending.state;
    fate.words = fateWords(sending, *sent->line);
    fate.sending = sending.id;
    fate.isChanged = fate.isOut() && isChanged(*sent->line, line);
    return fate;
}

} // namespace pathmark::night
