#include "core/samp/hub.h"

#include "core/base/text.h"
#include "core/samp/deliveries.h"
#include "core/samp/hub_register.h"
#include "core/samp/loopback_server.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <optional>

namespace pathmark::samp {
namespace {

using nlohmann::json;

constexpr std::size_t kThreads = 48; ///< many may wait for answers at once
constexpr std::size_t kMostPending = 5000;
constexpr double kLongestWait = 600.0; ///< seconds that an answer is waited for
constexpr std::size_t kMostBody = 4U << 20U;

/// What a caller did wrong, in words.
struct CallFault {
    std::string words;
};

} // namespace

struct Hub::State {
    /// A call that was sent on and is not answered yet.
    struct Pending {
        std::string caller; ///< id
        std::string callee; ///< id
        std::string tag;    ///< the caller's own name for it; none where it waits
        std::shared_ptr<std::optional<json>> waited;
    };

    HubAddress hub;
    std::filesystem::path lock;
    HubRegister members;
    std::mutex guard;
    std::condition_variable answered;
    std::map<std::string, Pending> pending;
    std::deque<std::string> order; ///< of pending calls, the oldest first
    std::atomic<int> calls{0};
    std::atomic<bool> isEnding{false};
    Deliveries deliveries{[this](const std::string& id) { drop(id); }};
    LoopbackServer http; ///< the last: it ends before what it answers from

    static std::string textAt(const json& list, std::size_t place) {
        if (!list.is_array() || place >= list.size() || !list[place].is_string()) {
            throw CallFault{fmt::format("Parameter {} is missing, or no text.", place + 1)};
        }
        return list[place].get<std::string>();
    }

    static json mapAt(const json& list, std::size_t place) {
        if (!list.is_array() || place >= list.size() || !list[place].is_object()) {
            throw CallFault{fmt::format("Parameter {} is missing, or no map.", place + 1)};
        }
        return list[place];
    }

    [[nodiscard]] Member caller(const json& parameters) const {
        const auto member = members.byKey(textAt(parameters, 0));
        if (!member) {
            throw CallFault{"Nobody is registered with this key."};
        }
        return *member;
    }

    [[nodiscard]] Member memberAt(const json& parameters, std::size_t place) const {
        const auto member = members.byId(textAt(parameters, place));
        if (!member) {
            throw CallFault{"No program is registered with this id."};
        }
        return *member;
    }

    bool deliver(const Member& to, const std::string& method, json parameters) {
        if (to.callback.empty()) {
            return false;
        }
        parameters.insert(parameters.begin(), to.key);
        return deliveries.send(to.id, to.callback, {method, std::move(parameters)});
    }

    void notify(const std::string& from, const Member& to, const json& message) {
        deliver(to, "samp.client.receiveNotification", json::array({from, message}));
    }

    /// Tells everybody who wants to hear it of something in the hub.
    void tell(const std::string& kind, json parameters, const std::string& but = {}) {
        const json message = Message{kind, std::move(parameters)}.toJson();
        for (const Member& member : members.all()) {
            if (member.id != but && member.wants(kind)) {
                notify(members.hubId(), member, message);
            }
        }
    }

    /// A program that does not answer any more.
    void drop(const std::string& id) {
        if (const auto member = members.byId(id)) {
            members.remove(member->key);
            tell("samp.hub.event.unregister", {{"id", id}});
        }
    }

    std::string expect(Pending one) {
        const std::string id = fmt::format("m{}", ++calls);
        const std::lock_guard held(guard);
        while (order.size() >= kMostPending) {
            pending.erase(order.front());
            order.pop_front();
        }
        order.push_back(id);
        pending.emplace(id, std::move(one));
        return id;
    }

    std::string
    send(const Member& from, const Member& to, const std::string& tag, const json& message) {
        if (!to.wants(Message::from(message).kind)) {
            throw CallFault{"That program does not take such messages."};
        }
        const std::string id = expect({from.id, to.id, tag, nullptr});
        if (!deliver(to, "samp.client.receiveCall", json::array({from.id, id, message}))) {
            throw CallFault{"That program cannot be called, or is flooded."};
        }
        return id;
    }

    json sendAndWait(const Member& from, const Member& to, const json& message, double seconds) {
        if (!to.wants(Message::from(message).kind)) {
            throw CallFault{"That program does not take such messages."};
        }
        auto waited = std::make_shared<std::optional<json>>();
        const std::string id = expect({from.id, to.id, {}, waited});
        if (!deliver(to, "samp.client.receiveCall", json::array({from.id, id, message}))) {
            throw CallFault{"That program cannot be called, or is flooded."};
        }
        std::unique_lock held(guard);
        const auto until = std::chrono::duration<double>(
            seconds > 0.0 ? std::min(seconds, kLongestWait) : kLongestWait);
        answered.wait_for(held, until, [&] { return waited->has_value() || isEnding; });
        pending.erase(id);
        if (!waited->has_value()) {
            throw CallFault{"It did not answer in time."};
        }
        return **waited;
    }

    void takeReply(const Member& from, const std::string& id, const json& response) {
        Pending call;
        {
            const std::lock_guard held(guard);
            const auto known = pending.find(id);
            if (known == pending.end() || known->second.callee != from.id) {
                throw CallFault{"There is no such call to this program."};
            }
            call = known->second;
            if (call.waited != nullptr) {
                *call.waited = response;
            }
            pending.erase(known);
        }
        answered.notify_all();
        if (call.waited == nullptr) {
            if (const auto to = members.byId(call.caller)) {
                deliver(
                    *to, "samp.client.receiveResponse", json::array({from.id, call.tag, response}));
            }
        }
    }

    json registerMember(const json& parameters) {
        if (textAt(parameters, 0) != hub.secret) {
            throw CallFault{"That is not the hub's word."};
        }
        const auto member = members.add();
        if (!member) {
            throw CallFault{"Too many programs are registered."};
        }
        tell("samp.hub.event.register", {{"id", member->id}}, member->id);
        return {{"samp.hub-id", members.hubId()},
                {"samp.self-id", member->id},
                {"samp.private-key", member->key}};
    }

    json subscribed(const Member& from, const std::string& kind) const {
        json map = json::object();
        for (const Member& member : members.all()) {
            if (member.id != from.id && member.wants(kind)) {
                map[member.id] = json::object();
            }
        }
        return map;
    }

    json toAll(const Member& from, const json& message, const std::string* tag) {
        const std::string kind = Message::from(message).kind;
        json list = json::array();
        json map = json::object();
        for (const Member& member : members.all()) {
            if (member.id == from.id || !member.wants(kind)) {
                continue;
            }
            if (tag != nullptr) {
                map[member.id] = send(from, member, *tag, message);
            } else {
                notify(from.id, member, message);
                list.push_back(member.id);
            }
        }
        return tag == nullptr ? list : map;
    }

    json ofSelf(const std::string& what, const Member& self, const json& p) {
        if (what == "unregister") {
            members.remove(self.key);
            deliveries.forget(self.id);
            tell("samp.hub.event.unregister", {{"id", self.id}});
            return "";
        }
        if (what == "setXmlrpcCallback") {
            const std::string url = textAt(p, 1);
            members.change(self.key, [&](Member& m) { m.callback = url; });
            return "";
        }
        const json map = mapAt(p, 1);
        if (what == "declareMetadata") {
            members.change(self.key, [&](Member& m) { m.metadata = map; });
            tell("samp.hub.event.metadata", {{"id", self.id}, {"metadata", map}});
        } else {
            members.change(self.key, [&](Member& m) { m.subscriptions = map; });
            tell("samp.hub.event.subscriptions", {{"id", self.id}, {"subscriptions", map}});
        }
        return "";
    }

    json ofOthers(const std::string& what, const Member& self, const json& p) const {
        if (what == "getRegisteredClients") {
            json list = json::array({members.hubId()});
            for (const Member& member : members.all()) {
                if (member.id != self.id) {
                    list.push_back(member.id);
                }
            }
            return list;
        }
        if (what == "getSubscribedClients") {
            return subscribed(self, textAt(p, 1));
        }
        const bool isHub = textAt(p, 1) == members.hubId();
        if (what == "getMetadata") {
            return isHub ? json{{"samp.name", "Hub"},
                                {"samp.description.text", "The hub of Path Mark"}}
                         : memberAt(p, 1).metadata;
        }
        return isHub ? json::object() : memberAt(p, 1).subscriptions;
    }

    json ofMessages(const std::string& what, const Member& self, const json& p) {
        if (what == "notify") {
            const Member to = memberAt(p, 1);
            const json message = mapAt(p, 2);
            if (!to.wants(Message::from(message).kind)) {
                throw CallFault{"That program does not take such messages."};
            }
            notify(self.id, to, message);
            return "";
        }
        if (what == "notifyAll") {
            return toAll(self, mapAt(p, 1), nullptr);
        }
        if (what == "call") {
            return send(self, memberAt(p, 1), textAt(p, 2), mapAt(p, 3));
        }
        if (what == "callAll") {
            const std::string tag = textAt(p, 1);
            return toAll(self, mapAt(p, 2), &tag);
        }
        if (what == "callAndWait") {
            return sendAndWait(
                self, memberAt(p, 1), mapAt(p, 2), parseNumber(textAt(p, 3)).value_or(0.0));
        }
        takeReply(self, textAt(p, 1), mapAt(p, 2));
        return "";
    }

    /// What a call of the hub's services comes to.
    json serve(const RpcCall& call) {
        static constexpr std::string_view prefix = "samp.hub.";
        if (!call.method.starts_with(prefix)) {
            throw CallFault{"There is no such service."};
        }
        const std::string what = call.method.substr(prefix.size());
        const json& p = call.parameters;
        if (what == "ping") {
            return "";
        }
        if (what == "register") {
            return registerMember(p);
        }
        const Member self = caller(p);
        const auto isOne = [&](std::initializer_list<const char*> names) {
            return std::any_of(
                names.begin(), names.end(), [&](const char* n) { return what == n; });
        };
        if (isOne({"unregister", "setXmlrpcCallback", "declareMetadata", "declareSubscriptions"})) {
            return ofSelf(what, self, p);
        }
        if (isOne({"getRegisteredClients",
                   "getSubscribedClients",
                   "getMetadata",
                   "getSubscriptions"})) {
            return ofOthers(what, self, p);
        }
        if (isOne({"notify", "notifyAll", "call", "callAll", "callAndWait", "reply"})) {
            return ofMessages(what, self, p);
        }
        throw CallFault{"There is no such service."};
    }

    std::string answer(const std::string& body) {
        const auto call = callFrom(body);
        if (!call) {
            return faultXml(call.error().detail);
        }
        try {
            return answerXml(serve(*call));
        } catch (const CallFault& fault) {
            return faultXml(fault.words);
        }
    }
};

Hub::Hub() : state_(std::make_unique<State>()) {}

Result<std::unique_ptr<Hub>> Hub::start(const std::filesystem::path& lockFile) {
    std::unique_ptr<Hub> hub(new Hub);
    State& s = *hub->state_;
    s.http.server.new_task_queue = [] { return new httplib::ThreadPool(kThreads); }; // owned by it
    s.http.server.set_payload_max_length(kMostBody);
    s.http.server.Post("/xmlrpc", [&s](const httplib::Request& q, httplib::Response& r) {
        r.set_content(s.answer(q.body), "text/xml");
    });
    try {
        s.http.start(0);
    } catch (const std::exception& problem) {
        return fail(
            ErrorId::SampNoHub,
            fmt::format("No hub answers, and none can be started here ({}).", problem.what()));
    }
    s.hub = {s.http.address() + "/xmlrpc", HubRegister::newSecret()};
    if (auto written = writeLockFile(lockFile, s.hub); !written) {
        return fail(written.error());
    }
    s.lock = lockFile;
    return hub;
}

Hub::~Hub() {
    State& s = *state_;
    if (!s.lock.empty()) {
        s.tell("samp.hub.event.shutdown", json::object());
        // Only where it is still ours.
        if (const auto there = readLockFile(s.lock); there && there->secret == s.hub.secret) {
            std::error_code ignored;
            std::filesystem::remove(s.lock, ignored);
        }
    }
    s.isEnding = true;
    s.answered.notify_all();
}

const HubAddress& Hub::address() const {
    return state_->hub;
}

std::size_t Hub::members() const {
    return state_->members.all().size();
}

} // namespace pathmark::samp
