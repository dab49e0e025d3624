#include "command/made_stacks.h"

#include "core/base/atomic_file.h"
#include "core/night/frame_file.h"

#include <fmt/format.h>

#include <fstream>

namespace pathmark::command {

namespace fs = std::filesystem;
using nlohmann::json;

std::string stampOf(const fs::path& file) {
    const night::FileStamp stamp(file);
    return fmt::format("{} {}", stamp.size, stamp.changed);
}

MadeStacks::MadeStacks(fs::path folder) : folder_(std::move(folder)), made_(json::object()) {
    std::ifstream stream(file());
    const json read = json::parse(stream, nullptr, false);
    if (read.is_object()) {
        made_ = read;
    }
}

std::optional<json> MadeStacks::find(const fs::path& stack, const std::string& key) const {
    const auto found = made_.find(stack.filename().string());
    if (found == made_.end() || !found->is_object() || found->value("key", "") != key ||
        !fs::exists(stack) || found->value("stamp", "") != stampOf(stack) ||
        !found->contains("told") || !found->at("told").is_object()) {
        return std::nullopt;
    }
    json told = found->at("told");
    told["file"] = stack.string(); // as it is called now
    return told;
}

Result<bool> MadeStacks::add(const fs::path& stack, const std::string& key, const json& told) {
    made_[stack.filename().string()] = {{"key", key}, {"stamp", stampOf(stack)}, {"told", told}};
    return writeWholeText(file(), made_.dump(2) + "\n");
}

} // namespace pathmark::command
