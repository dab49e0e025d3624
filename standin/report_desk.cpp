#include "standin/report_desk.h"

#include "core/base/names.h"
#include "core/report/structure.h"
#include "core/samp/loopback_server.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include <algorithm>
#include <fstream>
#include <set>

namespace pathmark::standin {
namespace {

using nlohmann::json;

constexpr std::array kDeskFaults{std::pair{DeskFault::None, "none"},
                                 std::pair{DeskFault::Slow, "slow"},
                                 std::pair{DeskFault::Hangs, "hangs"},
                                 std::pair{DeskFault::Web, "web"},
                                 std::pair{DeskFault::Rubbish, "rubbish"},
                                 std::pair{DeskFault::Broken, "broken"},
                                 std::pair{DeskFault::BusyOnce, "busy-once"},
                                 std::pair{DeskFault::Refuses, "refuses"},
                                 std::pair{DeskFault::Redirects, "redirects"},
                                 std::pair{DeskFault::TakesHalf, "takes-half"},
                                 std::pair{DeskFault::ClosesAfter, "closes-after"},
                                 std::pair{DeskFault::ClosesBefore, "closes-before"},
                                 std::pair{DeskFault::Mute, "mute"}};

/// A line of a report as the desk reads it.
struct DeskLine {
    std::string id;
    std::string station;
};

/// Of an XML report; of other forms none are told apart.
std::vector<DeskLine> linesOf(const std::string& text) {
    std::vector<DeskLine> lines;
    pugi::xml_document document;
    if (document.load_string(text.c_str())) {
        for (const auto& found : document.select_nodes("//optical")) {
            lines.push_back(
                {found.node().child_value("obsSubID"), found.node().child_value("stn")});
        }
    }
    return lines;
}

/// The id that a sender gave its report, out of its quotes.
std::string keyOf(const httplib::Request& request) {
    std::string key = request.get_header_value("Idempotency-Key");
    std::erase(key, '"');
    return key;
}

void answer(httplib::Response& response, int status, const json& said) {
    response.status = status;
    response.set_content(said.dump(), "application/json");
}

/// An answer that ends before its end.
void breakOff(httplib::Response& response) {
    constexpr std::size_t promised = 400;
    response.set_content_provider(
        promised, "application/json", [](std::size_t offset, std::size_t, httplib::DataSink& sink) {
            return offset == 0 && sink.write("{\"receipt\": ", 12);
        });
}

} // namespace

std::optional<DeskFault> deskFaultNamed(std::string_view word) {
    return valueNamed(kDeskFaults, word);
}

struct ReportDesk::State {
    /// A report that was taken.
    struct Report {
        std::string text;
        json receipt;
        bool isReady = true;
    };

    DeskOptions options;
    mutable std::mutex guard;
    std::map<std::string, Report> reports;
    std::map<std::string, int> taken;
    int repeats = 0;
    int posts = 0;
    int questions = 0;
    std::set<DeskFault> done;  ///< faults that happen once
    samp::LoopbackServer http; ///< the last: it ends before what it answers from

    bool isFirst(DeskFault fault) { return options.fault == fault && done.insert(fault).second; }

    /// Why nothing of a report is taken; empty: it is.
    [[nodiscard]] std::string refusalOf(const std::string& text) const {
        if (options.fault == DeskFault::Refuses) {
            return "The desk takes no reports today, nor \"tomorrow\", <b>nor</b> on Sundays.";
        }
        if (text.empty()) {
            return "There is no report in it.";
        }
        if (!options.structure.empty() && text.starts_with("<?xml")) {
            const auto faults = report::structureFaults(options.structure, text);
            if (!faults.empty()) {
                return "It is not valid: " + faults.front();
            }
        }
        for (const DeskLine& line : linesOf(text)) {
            if (!options.stations.empty() &&
                std::find(options.stations.begin(), options.stations.end(), line.station) ==
                    options.stations.end()) {
                return "Station " + line.station + " is not known here.";
            }
        }
        return {};
    }

    /// Keeps a report; its receipt says what becomes of each line.
    Report& take(const std::string& key, const std::string& text) {
        Report& report = reports[key];
        report.text = text;
        report.receipt = {{"id", key}, {"receipt", fmt::format("R-{:06}", reports.size())}};
        json lines = json::array();
        int place = 0;
        for (const DeskLine& line : linesOf(text)) {
            const bool isRefused = options.fault == DeskFault::TakesHalf && place++ % 2 == 1;
            taken[line.id] += isRefused ? 0 : 1;
            lines.push_back({{"id", line.id},
                             {"taken", !isRefused},
                             {"words", isRefused ? "Its place fits no orbit of this body." : ""}});
        }
        report.receipt["lines"] = std::move(lines);
        if (!options.folder.empty()) {
            std::ofstream(options.folder / (key + ".txt"), std::ios::binary) << text;
        }
        return report;
    }

    void onPost(const httplib::Request& request, httplib::Response& response) {
        std::unique_lock lock(guard);
        ++posts;
        const std::string key = keyOf(request);
        const std::string text =
            request.has_file("source") ? request.get_file_value("source").content : std::string();
        switch (options.fault) {
        case DeskFault::Web:
            response.set_content("<!DOCTYPE html><html><body>Please log in</body></html>",
                                 "text/html");
            return;
        case DeskFault::Broken:
            response.status = 500;
            response.set_content("internal error", "text/plain");
            return;
        case DeskFault::Redirects:
            response.set_redirect("http://127.0.0.1:9/elsewhere", 307);
            return;
        default: break;
        }
        if (isFirst(DeskFault::BusyOnce)) {
            response.status = 503;
            return;
        }
        if (isFirst(DeskFault::ClosesBefore)) {
            breakOff(response);
            return;
        }
        if (const auto known = reports.find(key); known != reports.end()) {
            ++repeats;
            answer(response, 200, known->second.receipt);
            return;
        }
        if (const std::string words = refusalOf(text); !words.empty()) {
            answer(response, 422, {{"words", words}});
            return;
        }
        Report& report = take(key, text);
        const json receipt = report.receipt;
        switch (options.fault) {
        case DeskFault::Slow:
        case DeskFault::Hangs:
            report.isReady = false;
            lock.unlock();
            http.pause(std::chrono::seconds(options.fault == DeskFault::Slow ? 2 : 60));
            lock.lock();
            reports.at(key).isReady = true;
            break;
        case DeskFault::Rubbish:
            response.set_content("\x01\xFF\x02 nothing that anybody reads", "image/fits");
            return;
        case DeskFault::Mute: response.status = 500; return;
        default: break;
        }
        if (isFirst(DeskFault::ClosesAfter)) {
            breakOff(response);
            return;
        }
        answer(response, 200, receipt);
    }

    void onQuestion(const httplib::Request& request, httplib::Response& response) {
        const std::lock_guard lock(guard);
        ++questions;
        const std::string key = request.matches[1].str();
        if (options.fault == DeskFault::Mute || options.fault == DeskFault::Web) {
            response.status = 404;
            response.set_content("<html>no such page</html>", "text/html");
            return;
        }
        const auto known = reports.find(key);
        if (known == reports.end()) {
            answer(response, 404, {{"id", key}, {"known", false}});
        } else if (!known->second.isReady) {
            answer(response, 202, {{"id", key}, {"state", "working"}});
        } else {
            answer(response, 200, known->second.receipt);
        }
    }
};

ReportDesk::ReportDesk(const DeskOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.options = options;
    s.http.server.Post("/reports",
                       [&s](const httplib::Request& q, httplib::Response& r) { s.onPost(q, r); });
    s.http.server.Get(
        "/reports/([0-9a-zA-Z-]+)",
        [&s](const httplib::Request& q, httplib::Response& r) { s.onQuestion(q, r); });
    s.http.start(options.port);
}

ReportDesk::~ReportDesk() = default;

std::string ReportDesk::address() const {
    return state_->http.address() + "/reports";
}

void ReportDesk::setFault(DeskFault fault) {
    const std::lock_guard lock(state_->guard);
    state_->options.fault = fault;
    state_->done.clear();
}

std::map<std::string, int> ReportDesk::taken() const {
    const std::lock_guard lock(state_->guard);
    return state_->taken;
}

std::map<std::string, std::string> ReportDesk::reports() const {
    const std::lock_guard lock(state_->guard);
    std::map<std::string, std::string> texts;
    for (const auto& [id, report] : state_->reports) {
        texts[id] = report.text;
    }
    return texts;
}

int ReportDesk::repeats() const {
    const std::lock_guard lock(state_->guard);
    return state_->repeats;
}

int ReportDesk::posts() const {
    const std::lock_guard lock(state_->guard);
    return state_->posts;
}

int ReportDesk::questions() const {
    const std::lock_guard lock(state_->guard);
    return state_->questions;
}

void ReportDesk::wait() {
    state_->http.wait();
}

} // namespace pathmark::standin
