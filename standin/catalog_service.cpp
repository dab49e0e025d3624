#include "standin/catalog_service.h"

#include "core/base/names.h"
#include "core/base/text.h"
#include "core/samp/loopback_server.h"
#include "standin/adql.h"
#include "standin/votable_text.h"

#include <array>
#include <chrono>

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
    samp::LoopbackServer http;

    /// Does what is wrong with this service; false: nothing is.
    bool misbehave(httplib::Response& response) {
        const int number = ++http.requests;
        switch (options.fault) {
        case Fault::None: return false;
        case Fault::Slow: http.pause(std::chrono::seconds(2)); return false;
        case Fault::Hangs: http.pause(std::chrono::seconds(60)); return false;
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
    s.http.server.Post("/tap/sync", tap);
    s.http.server.Get("/tap/sync", tap);
    s.http.server.Get("/cone",
                      [&s](const httplib::Request& q, httplib::Response& r) { s.onCone(q, r); });
    s.http.start(options.port);
}

CatalogService::~CatalogService() = default;

int CatalogService::port() const {
    return state_->http.port();
}

std::string CatalogService::address() const {
    return state_->http.address();
}

int CatalogService::requests() const {
    return state_->http.requests;
}

void CatalogService::wait() {
    state_->http.wait();
}

} // namespace pathmark::standin
