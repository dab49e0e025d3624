#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::standin {

/// What a report desk may do wrong.
enum class DeskFault {
    None,
    Slow,         ///< takes two seconds over a report; says 202 meanwhile to those who ask
    Hangs,        ///< takes a report and says nothing for a minute
    Web,          ///< answers with a web page and takes nothing
    Rubbish,      ///< takes a report and answers with bytes that mean nothing
    Broken,       ///< HTTP 500, and nothing taken
    BusyOnce,     ///< HTTP 503 once
    Refuses,      ///< refuses whatever comes, with words
    Redirects,    ///< HTTP 307 to another address
    TakesHalf,    ///< refuses every other line
    ClosesAfter,  ///< takes a report and closes the line in the middle of its answer, once
    ClosesBefore, ///< closes the line in the middle of an answer without having taken anything, once
    Mute,         ///< takes a report, answers HTTP 500, and does not speak of what it has
};

std::optional<DeskFault> deskFaultNamed(std::string_view word);

struct DeskOptions {
    std::filesystem::path structure;   ///< XML schema that reports must keep to; empty: any XML
    std::filesystem::path folder;      ///< where reports are put that were taken; empty: nowhere
    std::vector<std::string> stations; ///< codes that it knows; empty: any
    int port = 0;                      ///< 0: any free one
    DeskFault fault = DeskFault::None;
};

/// A report desk on the loopback: reports are sent to /reports as forms of several parts, and asked for at /reports/ID.
class ReportDesk {
  public:
    /// Starts to listen; throws std::runtime_error where it cannot.
    explicit ReportDesk(const DeskOptions& options);
    ~ReportDesk();
    ReportDesk(const ReportDesk&) = delete;
    ReportDesk& operator=(const ReportDesk&) = delete;

    /// "http://127.0.0.1:PORT/reports"
    [[nodiscard]] std::string address() const;

    /// What it does wrong from now on.
    void setFault(DeskFault fault);

    /// How often each line was taken, by its obsSubID.
    [[nodiscard]] std::map<std::string, int> taken() const;

    /// The bytes of each report that was taken, by its id.
    [[nodiscard]] std::map<std::string, std::string> reports() const;

    /// Reports that came again although they had been taken.
    [[nodiscard]] int repeats() const;

    /// Reports that came at all, and questions about them.
    [[nodiscard]] int posts() const;
    [[nodiscard]] int questions() const;

    /// Serves until another thread or a signal ends the program.
    void wait();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

} // namespace pathmark::standin
