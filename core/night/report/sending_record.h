#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"
#include "core/night/records.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::night {

/// How far a report has come on its way out.
enum class SendingState {
    Waiting,   ///< nothing of it has left
    Underway,  ///< it is leaving, or was when the program ended
    Unsure,    ///< it left, and nobody knows whether it arrived
    Taken,     ///< there is a receipt
    Refused,   ///< nothing of it was taken
    Mailed,    ///< handed over as a mail file
    Withdrawn, ///< it never left, and will not
};

const char* name(SendingState state);
std::optional<SendingState> sendingStateNamed(std::string_view name);

/// A line of a report that was sent, as it was then.
struct SentLine {
    std::string line; ///< MeasurementRecord::id
    std::string body;
    Utc time;
    SkyPos sky;
    std::optional<double> magnitude;
    bool isRefused = false;
    std::string words; ///< of the report desk about it
};

/// A report that leaves, or has left: the very bytes, and what came back.
struct Sending {
    std::string id;      ///< by which the report desk knows it again
    std::string at;      ///< when it was made, ISO UTC
    std::string address; ///< of the report desk, or the mail file
    std::string form;    ///< "xml", "psv" or "80"
    SendingState state = SendingState::Waiting;
    int tries = 0;
    std::string receipt; ///< what the desk calls it
    std::string words;   ///< for people: what came of it last
    std::vector<SentLine> lines;
    std::string text;   ///< the bytes that are sent
    std::string answer; ///< the bytes that came back

    /// Whether it may still become something.
    [[nodiscard]] bool isOpen() const {
        return state == SendingState::Waiting || state == SendingState::Underway ||
               state == SendingState::Unsure;
    }
};

} // namespace pathmark::night
