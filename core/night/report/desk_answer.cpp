#include "core/night/report/desk_answer.h"

#include "core/base/text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>

namespace pathmark::night {
namespace {

using nlohmann::json;

constexpr std::size_t kLongestReceipt = 500;
constexpr std::size_t kLongestWords = 300;

std::string wordsIn(const json& object, const char* key) {
    const auto found = object.find(key);
    return found != object.end() && found->is_string() ? found->get<std::string>() : std::string();
}

json objectOf(const catalog::HttpAnswer& answer) {
    json read = json::parse(answer.body, nullptr, false);
    return read.is_object() ? read : json::object();
}

/// What a desk said, for one line on a screen.
std::string shortWords(std::string words) {
    std::replace_if(
        words.begin(), words.end(), [](unsigned char c) { return c < 0x20U; }, ' ');
    if (words.size() > kLongestWords) {
        words.resize(kLongestWords);
    }
    return std::string(trim(words));
}

bool isPlainText(const catalog::HttpAnswer& answer) {
    const auto type = answer.headers.find("content-type");
    return type != answer.headers.end() && type->second.starts_with("text/plain") &&
           !answer.body.empty() && answer.body.size() <= kLongestReceipt &&
           std::none_of(answer.body.begin(), answer.body.end(), [](unsigned char c) {
               return c < 0x20U && c != '\n' && c != '\r' && c != '\t';
           });
}

void takeLines(const json& said, Sending& sending) {
    std::map<std::string, const json*> byId;
    if (const auto lines = said.find("lines"); lines != said.end() && lines->is_array()) {
        for (const json& line : *lines) {
            if (line.is_object()) {
                byId[wordsIn(line, "id")] = &line;
            }
        }
    }
    for (SentLine& line : sending.lines) {
        const auto known = byId.find(line.line);
        if (known != byId.end()) {
            line.isRefused = !known->second->value("taken", true);
            line.words = shortWords(wordsIn(*known->second, "words"));
        }
    }
}

SendingState takeReceipt(const catalog::HttpAnswer& answer, Sending& sending) {
    const json said = objectOf(answer);
    sending.receipt = shortWords(wordsIn(said, "receipt"));
    sending.words = shortWords(wordsIn(said, "words"));
    if (!sending.receipt.empty()) {
        takeLines(said, sending);
        const auto refused = std::count_if(sending.lines.begin(),
                                           sending.lines.end(),
                                           [](const SentLine& l) { return l.isRefused; });
        if (sending.words.empty() && refused > 0) {
            sending.words =
                fmt::format("{} of {} lines were refused.", refused, sending.lines.size());
        }
        return SendingState::Taken;
    }
    if (isPlainText(answer)) {
        sending.receipt = shortWords(answer.body);
        return SendingState::Taken;
    }
    sending.words = "It answered with something that is no receipt.";
    return SendingState::Unsure;
}

} // namespace

SendingState takeAnswer(const catalog::HttpAnswer& answer, Sending& sending) {
    sending.answer = answer.body;
    if (answer.status >= 200 && answer.status < 300) {
        return takeReceipt(answer, sending);
    }
    if (answer.status >= 300 && answer.status < 400) {
        const auto there = answer.headers.find("location");
        sending.words = fmt::format("It sends to another address{}; reports go nowhere that nobody "
                                    "named.",
                                    there == answer.headers.end() ? "" : ", " + there->second);
        return SendingState::Waiting;
    }
    if (catalog::isRefusal(answer.status)) {
        const json said = objectOf(answer);
        const std::string words = shortWords(wordsIn(said, "words"));
        sending.words = !words.empty()        ? words
                        : isPlainText(answer) ? shortWords(answer.body)
                                              : fmt::format("It answered {}.", answer.status);
        return SendingState::Refused;
    }
    if (answer.status == 408 || answer.status == 429 || answer.status == 503) {
        sending.words = "It is busy.";
        return SendingState::Waiting;
    }
    sending.words = fmt::format("It failed with {}.", answer.status);
    return SendingState::Unsure;
}

DeskKnows takeStatus(const catalog::HttpAnswer& answer, Sending& sending) {
    const json said = objectOf(answer);
    if (wordsIn(said, "id") != sending.id) {
        return DeskKnows::CannotTell;
    }
    if (answer.status == 404) {
        return said.value("known", true) ? DeskKnows::CannotTell : DeskKnows::Nothing;
    }
    if (answer.status == 202) {
        return DeskKnows::Working;
    }
    if (answer.status != 200 || takeReceipt(answer, sending) != SendingState::Taken) {
        return DeskKnows::CannotTell;
    }
    sending.answer = answer.body;
    return DeskKnows::Taken;
}

} // namespace pathmark::night
