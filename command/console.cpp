#include "command/console.h"

#include "core/base/atomic_file.h"
#include "core/base/parallel.h"
#include "core/night/failures_json.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <csignal>
#include <iostream>
#include <mutex>
#include <string_view>
#include <system_error>
#include <thread>

namespace pathmark::command {
namespace {

/// What the whole program knows of how it was asked to end, and of what it has said. One for the process: signals and
/// standard output are the process's too.
struct Ending {
    std::stop_source stop;
    std::atomic<int> signal{0};
    std::mutex guard; ///< of the following
    bool json = false;
    bool printed = false;
    std::vector<Error> complaints;
};

Ending& ending() {
    static Ending one;
    return one;
}

/// Long enough for what is being written, short enough for somebody who waits.
constexpr auto kPatience = std::chrono::milliseconds(800);

void endNow(int signal) {
    removeTemporaries();
    printFailures();
    std::cout.flush();
    std::_Exit(128 + signal);
}

/// Waits for signals; all other threads have them blocked.
void waitForSignals(const sigset_t& signals) {
    int signal = 0;
    if (::sigwait(&signals, &signal) != 0) {
        return;
    }
    ending().signal = signal;
    ending().stop.request_stop();
    const timespec patience{0, std::chrono::nanoseconds(kPatience).count()};
    const int second = ::sigtimedwait(&signals, nullptr, &patience);
    endNow(second > 0 ? second : signal);
}

sigset_t endingSignals() {
    sigset_t signals;
    ::sigemptyset(&signals);
    ::sigaddset(&signals, SIGINT);
    ::sigaddset(&signals, SIGTERM);
    return signals;
}

/// How far a stage is, how fast it goes and how long it will take: a line on a terminal.
class ProgressLine {
  public:
    std::string of(const Progress& progress) {
        if (progress.stage != stage_) {
            stage_ = progress.stage;
            begun_ = Clock::now();
            first_ = progress.done;
        }
        if (progress.total <= 0) {
            return progress.stage + " ...";
        }
        constexpr int width = 20;
        const int filled = width * std::clamp(progress.done, 0, progress.total) / progress.total;
        std::string line = fmt::format("{} [{:{}}] {}/{}",
                                       progress.stage,
                                       std::string(static_cast<std::size_t>(filled), '='),
                                       width,
                                       progress.done,
                                       progress.total);
        const double spent = std::chrono::duration<double>(Clock::now() - begun_).count();
        const int done = progress.done - first_;
        constexpr double leastSpent = 1.0; // before that nothing is known of the rate
        if (done > 0 && spent > leastSpent) {
            const double rate = done / spent;
            line += fmt::format("  {}  {:.0f} s left",
                                rate >= 1.0 ? fmt::format("{:.1f}/s", rate)
                                            : fmt::format("{:.1f} s each", 1.0 / rate),
                                std::ceil((progress.total - progress.done) / rate));
        }
        return line;
    }

  private:
    using Clock = std::chrono::steady_clock;

    std::string stage_;
    Clock::time_point begun_;
    int first_ = 0;
};

void showBar(const Progress& progress) {
    if (::isatty(STDERR_FILENO) == 0) {
        return;
    }
    static std::mutex alone; // some steps tell it from several threads
    static ProgressLine line;
    const std::scoped_lock lock(alone);
    std::cerr << "\r\033[K" << line.of(progress) << std::flush;
}

} // namespace

void watchForSignals(bool json) {
    ending().json = json;
    const sigset_t signals = endingSignals();
    ::pthread_sigmask(SIG_BLOCK, &signals, nullptr);
    try {
        std::thread([signals] { waitForSignals(signals); }).detach();
    } catch (const std::system_error&) {
        unblockSignals(); // no thread is to be had: they end the program as they do any
    }
}

void unblockSignals() {
    const sigset_t signals = endingSignals();
    ::pthread_sigmask(SIG_UNBLOCK, &signals, nullptr);
}

int exitStatus(int status) {
    const int signal = ending().signal;
    return signal != 0 ? 128 + signal : status;
}

void printFailures() {
    Ending& end = ending();
    std::vector<Error> complaints;
    {
        const std::scoped_lock lock(end.guard);
        if (!end.json || end.printed) {
            return;
        }
        complaints = end.complaints;
    }
    if (complaints.empty() && end.signal != 0) {
        complaints.push_back({ErrorId::BaseCancelled,
                              "Stopped; what was finished is kept, run again to go on.",
                              {}});
    }
    Console::print({{"done", false}, {"failures", night::failuresJson(complaints)}});
}

bool wantsJson(int argc, char** argv) {
    for (int i = 1; i < argc; ++i) {
        if (std::string_view(argv[i]) == "--json") {
            return true;
        }
    }
    return false;
}

Job Console::job() const {
    Job job;
    job.stop = ending().stop.get_token();
    const bool silent = quiet;
    job.onProgress = [silent](const Progress& progress) {
        if (!silent) {
            showBar(progress);
        }
    };
    if (!quiet) {
        job.onMessage = [this](const std::string& text) { say(text); };
    }
    return job;
}

void Console::say(const std::string& text) const {
    if (!quiet) {
        std::cerr << (::isatty(STDERR_FILENO) != 0 ? "\r\033[K" : "") << text << '\n';
    }
}

void Console::complain(const Error& error) {
    {
        const std::scoped_lock lock(ending().guard);
        ending().complaints.push_back(error);
    }
    std::cerr << (::isatty(STDERR_FILENO) != 0 ? "\r\033[K" : "") << toMessage(error) << '\n';
}

void Console::print(const nlohmann::json& document) {
    {
        const std::scoped_lock lock(ending().guard);
        if (ending().printed) {
            return; // one object, whoever comes first
        }
        ending().printed = true;
    }
    // A file name need not be UTF-8: what is not becomes a mark, not an error of the program.
    std::cout << document.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) << '\n';
}

void Console::print(const std::string& text) {
    std::cout << text << std::flush; // who reads lines waits for each
}

void addCommonOptions(CLI::App& verb, Console& console) {
    verb.add_flag("--json", console.json, "One JSON object on standard output");
    verb.add_flag("--quiet", console.quiet, "No messages and no progress");
    verb.add_option("--threads", console.threads, "Most threads to use; 0 means all cores")
        ->check(CLI::Validator(
            [](const std::string& text) {
                return text.empty() || text.find_first_not_of("0123456789") != std::string::npos ||
                               text.size() > 4
                           ? "give a number of threads from 0 (all cores) to 9999"
                           : std::string();
            },
            "NUMBER"));
    verb.parse_complete_callback([&console] { setThreadLimit(console.threads); });
}

nlohmann::json finite(double value) {
    return std::isfinite(value) ? nlohmann::json(value) : nlohmann::json();
}

nlohmann::json finite(const std::optional<double>& value) {
    return value ? finite(*value) : nlohmann::json();
}

} // namespace pathmark::command
