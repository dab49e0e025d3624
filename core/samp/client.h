#pragma once

#include "core/base/result.h"
#include "core/samp/hub.h"
#include "core/samp/message.h"

#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace pathmark::samp {

/// How we are known to the others, and what we listen to.
struct ClientOptions {
    std::string name = "Path Mark";
    std::string description;
    std::vector<std::string>
        subscriptions; ///< kinds of messages, "image.*" and its like among them
    /// What becomes of a message: a response (okResponse, errorResponse). Called by threads of the client.
    std::function<nlohmann::json(const std::string& sender, const Message&)> onMessage;
    std::function<void()> onGone; ///< the hub ends, or has thrown us out
};

/// Another program of the hub.
struct Program {
    std::string id;
    std::string name;
};

/// Us among the programs of a hub.
class Client {
  public:
    /// Errors   samp.no_hub, samp.refused
    static Result<std::unique_ptr<Client>> join(const HubAddress& hub, ClientOptions options);

    /// Joins the hub of this user; where none answers, starts one of our own, which lives as long as this.
    static Result<std::unique_ptr<Client>> joinOrStart(ClientOptions options);

    /// Leaves the hub.
    ~Client();
    Client(const Client&) = delete;
    Client& operator=(const Client&) = delete;

    [[nodiscard]] const std::string& id() const;

    /// Whether the hub is ours.
    [[nodiscard]] bool hasOwnHub() const;

    /// The others that take a kind of messages.
    [[nodiscard]] Result<std::vector<Program>> listeners(const std::string& kind) const;

    /// The name of a program, or its id where it has none.
    [[nodiscard]] std::string nameOf(const std::string& id) const;

    /// Tells everybody who listens; how many do.
    Result<std::size_t> tellAll(const Message& message) const;

    /// Tells one, and waits for its response.
    Result<nlohmann::json> ask(const std::string& to, const Message& message, double seconds) const;

  private:
    struct State;
    Client();

    std::unique_ptr<State> state_;
};

} // namespace pathmark::samp
