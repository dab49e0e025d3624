#pragma once

#include "core/base/result.h"

#include <nlohmann/json.hpp>

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark::command {

/// The stacks that are in a folder, with what was told of each when it was made: stacks.json beside them. What was made of the same
/// frames in the same way need not be made again.
class MadeStacks {
  public:
    /// What cannot be read counts as nothing made.
    explicit MadeStacks(std::filesystem::path folder);

    /// What was told of a stack made under this key; nothing where there is none, or its file is another by now.
    [[nodiscard]] std::optional<nlohmann::json> find(const std::filesystem::path& stack,
                                                     const std::string& key) const;

    /// A stack that has just been written.
    ///
    /// Errors   base.cannot_write, base.disk_full
    Result<bool>
    add(const std::filesystem::path& stack, const std::string& key, const nlohmann::json& told);

  private:
    [[nodiscard]] std::filesystem::path file() const { return folder_ / "stacks.json"; }

    std::filesystem::path folder_;
    nlohmann::json made_; ///< by the name of the stack's file
};

/// A file's size and when it was last written, in words: it is another file where they differ.
std::string stampOf(const std::filesystem::path& file);

} // namespace pathmark::command
