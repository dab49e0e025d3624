#include "core/samp/client.h"

#include "core/samp/deliveries.h"
#include "core/samp/loopback_server.h"

#include <fmt/format.h>

#include <atomic>

namespace pathmark::samp {
namespace {

using nlohmann::json;

constexpr std::size_t kMostCallback = 4U << 20U;
constexpr double kHubSeconds = 10.0;

} // namespace

struct Client::State {
    std::unique_ptr<Hub> ownHub; ///< ends after us
    HubAddress hub;
    ClientOptions options;
    std::string key;
    std::string id;
    std::atomic<bool> isGone{false};
    Deliveries replies{[](const std::string&) {}};
    LoopbackServer http;

    Result<json> call(const char* service, json parameters, double seconds = kHubSeconds) const {
        parameters.insert(parameters.begin(), key);
        return callOver(
            hub.url, {std::string("samp.hub.") + service, std::move(parameters)}, seconds);
    }

    /// What the hub itself says.
    bool takesFromHub(const Message& message) {
        if (message.kind != "samp.hub.event.shutdown" && message.kind != "samp.hub.disconnect") {
            return false;
        }
        isGone = true;
        if (options.onGone) {
            options.onGone();
        }
        return true;
    }

    json respond(const std::string& sender, const Message& message) {
        if (message.kind == "samp.app.ping") {
            return okResponse();
        }
        return options.onMessage ? options.onMessage(sender, message)
                                 : errorResponse("Nobody listens.");
    }

    std::string onCall(const std::string& body) {
        const auto call = callFrom(body);
        if (!call) {
            return faultXml(call.error().detail);
        }
        const json& p = call->parameters;
        if (!p.is_array() || p.size() < 3 || p[0] != key || !p[1].is_string()) {
            return faultXml("That is not for us.");
        }
        const std::string sender = p[1].get<std::string>();
        if (call->method == "samp.client.receiveNotification") {
            const Message message = Message::from(p[2]);
            if (!takesFromHub(message)) {
                respond(sender, message);
            }
        } else if (call->method == "samp.client.receiveCall" && p.size() >= 4) {
            const json response = respond(sender, Message::from(p[3]));
            replies.send("hub", hub.url, {"samp.hub.reply", json::array({key, p[2], response})});
        }
        return answerXml("");
    }
};

Client::Client() : state_(std::make_unique<State>()) {}

Result<std::unique_ptr<Client>> Client::join(const HubAddress& hub, ClientOptions options) {
    std::unique_ptr<Client> client(new Client);
    State& s = *client->state_;
    s.hub = hub;
    s.options = std::move(options);
    const auto registered =
        callOver(hub.url, {"samp.hub.register", json::array({hub.secret})}, kHubSeconds);
    if (!registered) {
        return fail(registered.error());
    }
    s.key = textIn(*registered, "samp.private-key");
    s.id = textIn(*registered, "samp.self-id");
    if (s.key.empty()) {
        return fail(ErrorId::SampRefused, "The hub let us in without a key.", hub.url);
    }
    s.http.server.set_payload_max_length(kMostCallback);
    s.http.server.Post("/xmlrpc", [&s](const httplib::Request& q, httplib::Response& r) {
        r.set_content(s.onCall(q.body), "text/xml");
    });
    try {
        s.http.start(0);
    } catch (const std::exception& problem) {
        return fail(ErrorId::SampNoHub,
                    fmt::format("The loopback cannot be used ({}).", problem.what()));
    }
    json subscriptions = {{"samp.app.ping", json::object()},
                          {"samp.hub.event.shutdown", json::object()},
                          {"samp.hub.disconnect", json::object()}};
    for (const std::string& kind : s.options.subscriptions) {
        subscriptions[kind] = json::object();
    }
    for (const auto& done :
         {s.call("setXmlrpcCallback", json::array({s.http.address() + "/xmlrpc"})),
          s.call("declareMetadata",
                 json::array({{{"samp.name", s.options.name},
                               {"samp.description.text", s.options.description}}})),
          s.call("declareSubscriptions", json::array({subscriptions}))}) {
        if (!done) {
            return fail(done.error());
        }
    }
    return client;
}

Result<std::unique_ptr<Client>> Client::joinOrStart(ClientOptions options) {
    const auto path = lockFile();
    if (const auto there = readLockFile(path)) {
        if (callOver(there->url, {"samp.hub.ping", json::array()}, 3.0)) {
            return join(*there, std::move(options));
        }
        // A hub that ended without a word; only where the file still tells of it.
        const auto still = readLockFile(path);
        if (still && still->secret == there->secret) {
            std::error_code ignored;
            std::filesystem::remove(path, ignored);
        }
    }
    auto hub = Hub::start(path);
    if (!hub) {
        return fail(hub.error());
    }
    auto client = join((*hub)->address(), std::move(options));
    if (client) {
        (*client)->state_->ownHub = std::move(*hub);
    }
    return client;
}

Client::~Client() {
    State& s = *state_;
    if (!s.key.empty() && !s.isGone) {
        (void)callOver(s.hub.url, {"samp.hub.unregister", json::array({s.key})}, 2.0);
    }
}

const std::string& Client::id() const {
    return state_->id;
}

bool Client::hasOwnHub() const {
    return state_->ownHub != nullptr;
}

std::string Client::nameOf(const std::string& id) const {
    const auto metadata = state_->call("getMetadata", json::array({id}));
    const std::string name = metadata ? textIn(*metadata, "samp.name") : std::string();
    return name.empty() ? id : name;
}

Result<std::vector<Program>> Client::listeners(const std::string& kind) const {
    const auto clients = state_->call("getSubscribedClients", json::array({kind}));
    if (!clients) {
        return fail(clients.error());
    }
    std::vector<Program> programs;
    for (const auto& [id, annotation] : clients->items()) {
        programs.push_back({id, nameOf(id)});
    }
    return programs;
}

Result<std::size_t> Client::tellAll(const Message& message) const {
    const auto told = state_->call("notifyAll", json::array({message.toJson()}));
    return told ? Result<std::size_t>(told->is_array() ? told->size() : 0) : fail(told.error());
}

Result<json> Client::ask(const std::string& to, const Message& message, double seconds) const {
    const auto response = state_->call(
        "callAndWait",
        json::array({to, message.toJson(), fmt::format("{:.0f}", std::max(1.0, seconds))}),
        seconds + kHubSeconds);
    if (!response) {
        return response;
    }
    if (textIn(*response, "samp.status") == "samp.error") {
        const std::string words = response->contains("samp.error")
                                      ? textIn((*response)["samp.error"], "samp.errortxt")
                                      : "";
        return fail(ErrorId::SampRefused, words.empty() ? "It was refused without words." : words);
    }
    return response;
}

} // namespace pathmark::samp
