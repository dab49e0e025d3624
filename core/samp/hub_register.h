#pragma once

#include "core/samp/message.h"

#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::samp {

/// A program that a hub knows.
struct Member {
    std::string id;  ///< known to all
    std::string key; ///< known to it and the hub alone
    std::string callback;
    nlohmann::json metadata = nlohmann::json::object();
    nlohmann::json subscriptions = nlohmann::json::object();

    [[nodiscard]] bool wants(const std::string& kind) const;
};

/// The programs of a hub. Of many threads; what it gives out are copies.
class HubRegister {
  public:
    static constexpr std::size_t kMostMembers = 100;

    HubRegister();

    /// A new member; nullopt: there are too many.
    std::optional<Member> add();

    [[nodiscard]] std::optional<Member> byKey(const std::string& key) const;
    [[nodiscard]] std::optional<Member> byId(const std::string& id) const;
    [[nodiscard]] std::vector<Member> all() const;

    /// Changes a member; false: there is none of that key.
    bool change(const std::string& key, const std::function<void(Member&)>& what);

    std::optional<Member> remove(const std::string& key);

    /// A word that nobody guesses.
    static std::string newSecret();

    /// What the hub is known by among its members.
    [[nodiscard]] const std::string& hubId() const { return hubId_; }

  private:
    mutable std::mutex guard_;
    std::map<std::string, Member> members_; ///< by key
    int count_ = 0;
    std::string hubId_ = "hub";
};

} // namespace pathmark::samp
