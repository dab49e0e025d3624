#pragma once

#include "core/night/report/sending_record.h"
#include "core/report/observation.h"

#include <map>
#include <span>

namespace pathmark::night {

/// What became of a line that was sent before.
struct LineFate {
    SendingState state =
        SendingState::Waiting; ///< Refused: the line was, whatever became of the others
    std::string words;         ///< a sentence
    bool isChanged = false;    ///< the line says something else now
    std::string sending;       ///< Sending::id

    /// Whether the desk has the line, or may have it.
    [[nodiscard]] bool isOut() const { return state != SendingState::Refused; }
};

/// The lines of all reports that were sent, or wait to be.
class SentLines {
  public:
    explicit SentLines(std::span<const Sending> sendings);

    /// What became of a line, by its id, or by its body and time; the latest sending counts.
    ///
    /// Model    A line is changed whose place is more than 0.02 arcsec, its time more than 2 ms, or its magnitude more than 0.005 from what
    ///          was sent.
    [[nodiscard]] std::optional<LineFate> of(const report::Observation& line) const;

  private:
    struct Sent {
        const Sending* sending;
        const SentLine* line;
    };

    [[nodiscard]] const Sent* find(const report::Observation& line) const;

    std::map<std::string, Sent> byId_;
    std::multimap<std::string, Sent> byBody_;
};

} // namespace pathmark::night
