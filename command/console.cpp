#include "command/console.h"

#include "core/base/parallel.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

#include <atomic>
#include <cmath>
#include <csignal>
#include <iostream>

namespace pathmark::command {
namespace {

std::stop_source& interrupts() {
    static std::stop_source source;
    return source;
}

std::atomic<bool> interrupted{false};

void onInterrupt(int) {
    // A second one ends the program at once.
    if (interrupted.exchange(true)) {
        std::_Exit(130);
    }
}

void showBar(const Progress& progress) {
    if (interrupted) {
        interrupts().request_stop();
    }
    if (::isatty(STDERR_FILENO) == 0) {
        return;
    }
    if (progress.total > 0) {
        std::cerr << fmt::format("\r\033[K{} {}/{}", progress.stage, progress.done, progress.total);
    } else {
        std::cerr << fmt::format("\r\033[K{} ...", progress.stage);
    }
    std::cerr.flush();
}

} // namespace

Job Console::job() const {
    std::signal(SIGINT, onInterrupt);
    Job job;
    job.stop = interrupts().get_token();
    const bool silent = quiet;
    job.onProgress = [silent](const Progress& progress) {
        if (!silent) {
            showBar(progress);
        } else if (interrupted) {
            interrupts().request_stop();
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
    std::cerr << (::isatty(STDERR_FILENO) != 0 ? "\r\033[K" : "") << toMessage(error) << '\n';
}

void Console::print(const nlohmann::json& document) {
    std::cout << document.dump(2) << '\n';
}

void Console::print(const std::string& text) {
    std::cout << text;
}

void addCommonOptions(CLI::App& verb, Console& console) {
    verb.add_flag("--json", console.json, "One JSON object on standard output");
    verb.add_flag("--quiet", console.quiet, "No messages and no progress");
    verb.add_option("--threads", console.threads, "Most threads to use; 0 means all cores")
        ->check(CLI::NonNegativeNumber);
    verb.parse_complete_callback([&console] { setThreadLimit(console.threads); });
}

nlohmann::json finite(double value) {
    return std::isfinite(value) ? nlohmann::json(value) : nlohmann::json();
}

} // namespace pathmark::command
