#include "core/samp/hub_register.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>

namespace pathmark::samp {

bool Member::wants(const std::string& kind) const {
    return std::any_of(subscriptions.items().begin(),
                       subscriptions.items().end(),
                       [&](const auto& one) { return covers(one.key(), kind); });
}

HubRegister::HubRegister() = default;

std::string HubRegister::newSecret() {
    std::random_device random; // the kernel's own
    return fmt::format("{:08x}{:08x}{:08x}{:08x}", random(), random(), random(), random());
}

std::optional<Member> HubRegister::add() {
    const std::lock_guard lock(guard_);
    if (members_.size() >= kMostMembers) {
        return std::nullopt;
    }
    Member member;
    member.id = fmt::format("c{}", ++count_);
    member.key = newSecret();
    members_[member.key] = member;
    return member;
}

std::optional<Member> HubRegister::byKey(const std::string& key) const {
    const std::lock_guard lock(guard_);
    const auto known = members_.find(key);
    return known == members_.end() ? std::nullopt : std::optional(known->second);
}

std::optional<Member> HubRegister::byId(const std::string& id) const {
    const std::lock_guard lock(guard_);
    for (const auto& [key, member] : members_) {
        if (member.id == id) {
            return member;
        }
    }
    return std::nullopt;
}

std::vector<Member> HubRegister::all() const {
    const std::lock_guard lock(guard_);
    std::vector<Member> members;
    for (const auto& [key, member] : members_) {
        members.push_back(member);
    }
    return members;
}

bool HubRegister::change(const std::string& key, const std::function<void(Member&)>& what) {
    const std::lock_guard lock(guard_);
    const auto known = members_.find(key);
    if (known == members_.end()) {
        return false;
    }
    what(known->second);
    return true;
}

std::optional<Member> HubRegister::remove(const std::string& key) {
    const std::lock_guard lock(guard_);
    const auto known = members_.find(key);
    if (known == members_.end()) {
        return std::nullopt;
    }
    Member member = std::move(known->second);
    members_.erase(known);
    return member;
}

} // namespace pathmark::samp
