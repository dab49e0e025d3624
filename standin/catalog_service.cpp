#include "standin/catalog_service.h"

#include "core/base/names.h"
#include "core/base/text.h"
#include "standin/adql.h"
#include "standin/votable_text.h"

#include <httplib.h>

#include <array>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <stdexcept>
#include <thread>

namespace pathmark::standin {
namespace {

constexpr const char* kVotable = "application/x-votable+xml";
constexpr const char* kTable = "gaiadr3.gaia_source";

constexpr std::array kFaultNames{
    std::pair{Fault::None, "none"},
    std::pair{Fault::Slow, "slow"},
    std::pair{Fault::Hangs, "hangs"},
    std::pair{Fault::Web, "web"},
    std::pair{Fault::Closes, "closes"},
    std::pair{Fault::ClosesOnce, "closes-once"},
    std::pair{Fault::Rubbish, "rubbish"},
    std::pair{Fault::Broken, "broken"},
    std::pair{Fault::BusyOnce, "busy-once"},
    std::pair{Fault::Refuses, "refuses"},
};

} // namespace

std::optional<Fault> faultNamed(std::string_view word) {
    return valueNamed(kFaultNames, word);
}

struct CatalogService::State {
    ServiceOptions options;
    StarRows stars;
    httplib::Server server;
    std::thread thread;
    std::atomic<int> requests{0};
    std::atomic<bool> ending{false};
    std::mutex guard;
    std::condition_variable wake;
    int port = 0;

    /// Waits, but not beyond the service's end.
    void pause(std::chrono::seconds time) {
        std::unique_lock lock(guard);
        wake.wait_for(lock, time, [&] { return ending.load(); });
    }

    /// Does what is wrong with this service; false: nothing is.
    bool misbehave(httplib::Response& response) {
        const int number = ++requests;
        switch (options.fault) {
        case Fault::None: return false;
        case Fault::Slow: pause(std::chrono::seconds(2)); return false;
        case Fault::Hangs: pause(std::chrono::seconds(60)); return false;
        case Fault::Web:
            response.set_content("<!DOCTYPE html><html><head><title>Gateway</title></head><body>"
                                 "<p>Please log in<br></body></html>",
                                 "text/html");
            return true;
        case Fault::Closes:
        case Fault::ClosesOnce:
            if (options.fault == Fault::ClosesOnce && number > 1) {
                return false;
            }
            response.set_content_provider(
                100'000, kVotable, [](std::size_t offset, std::size_t, httplib::DataSink& sink) {
                    const std::string part = "<VOTABLE><RESOURCE><TABLE>";
                    return offset == 0 && sink.write(part.data(), part.size());
                });
            return true;
        case Fault::Rubbish:
            response.set_content("\x01\xFF<VOTABLE><TR>&&\x02", kVotable);
            return true;
        case Fault::Broken:
            response.status = 500;
            response.set_content("internal error", "text/plain");
            return true;
        case Fault::BusyOnce:
            if (number == 1) {
                response.status = 503;
                response.set_content("too many requests at the moment", "text/plain");
                return true;
            }
            return false;
        case Fault::Refuses:
            response.status = 400;
            response.set_content(errorText("no such table"), kVotable);
            return true;
        }
        return false;
    }

    void answer(const Selection& wanted,
                const std::vector<std::string>& columns,
                httplib::Response& response) const {
        Selection selection = wanted;
        selection.most = std::min(selection.most, options.most);
        bool cutOff = false;
        const auto rows = choose(stars, selection, cutOff);
        // Stopped by the query's own TOP nothing is missing; stopped by the service something is.
        response.set_content(
            votableText(stars,
                        columns,
                        rows,
                        options.binary ? Serialization::Binary2 : Serialization::TableData,
                        cutOff && selection.most == options.most),
            kVotable);
    }

    void onTap(const httplib::Request& request, httplib::Response& response) {
        if (misbehave(response)) {
            return;
        }
        std::string problem;
        const auto query = parseQuery(request.get_param_value("QUERY"), problem);
        if (!query || query->table != kTable) {
            response.status = 400;
            response.set_content(
                errorText(query ? "no table '" + query->table + "' here" : problem), kVotable);
            return;
        }
        std::vector<std::string> columns;
        for (const std::string& column : query->columns) {
            if (stars.column(column) >= 0) {
                columns.push_back(column);
            }
        }
        answer(query->selection, columns, response);
    }

    void onCone(const httplib::Request& request, httplib::Response& response) {
        if (misbehave(response)) {
            return;
        }
        const auto number = [&](const char* key) {
            return parseNumber(request.get_param_value(key));
        };
        const auto ra = number("RA");
        const auto dec = number("DEC");
        const auto radius = number("SR");
        if (!ra || !dec || !radius) {
            response.set_content(errorText("RA, DEC and SR are needed"), kVotable);
            return;
        }
        answer({*ra, *dec, *radius, 99.0, options.most}, stars.columns, response);
    }
};

CatalogService::CatalogService(const ServiceOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.options = options;
    s.stars = readRows(options.stars);
    const auto tap = [&s](const httplib::Request& q, httplib::Response& r) { s.onTap(q, r); };
    s.server.set_keep_alive_timeout(1);
    s.server.Post("/tap/sync", tap);
    s.server.Get("/tap/sync", tap);
    s.server.Get("/cone",
                 [&s](const httplib::Request& q, httplib::Response& r) { s.onCone(q, r); });
    s.port = options.port == 0
                 ? s.server.bind_to_any_port("127.0.0.1")
                 : (s.server.bind_to_port("127.0.0.1", options.port) ? options.port : -1);
    if (s.port <= 0) {
        throw std::runtime_error("the port is in use");
    }
    s.thread = std::thread([&s] { s.server.listen_after_bind(); });
    while (!s.server.is_running()) {
        std::this_thread::yield();
    }
}

CatalogService::~CatalogService() {
    state_->ending = true;
    state_->wake.notify_all();
    state_->server.stop();
    state_->thread.join();
}

int CatalogService::port() const {
    return state_->port;
}

std::string CatalogService::address() const {
    return "http://127.0.0.1:" + std::to_string(state_->port);
}

int CatalogService::requests() const {
    return state_->requests;
}

void CatalogService::wait() {
    std::unique_lock lock(state_->guard);
    state_->wake.wait(lock, [&] { return state_->ending.load(); });
}

} // namespace pathmark::standin
