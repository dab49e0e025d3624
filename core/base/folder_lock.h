#pragma once

#include "core/base/result.h"

#include <filesystem>
#include <utility>

namespace pathmark {

/// A folder that one process at a time writes to. The lock ends with the process, however that ends.
class FolderLock {
  public:
    /// Errors   night.in_use  another process holds it; base.cannot_write
    static Result<FolderLock> take(const std::filesystem::path& folder);

    FolderLock(FolderLock&& other) noexcept : handle_(std::exchange(other.handle_, -1)) {}

    FolderLock& operator=(FolderLock&& other) noexcept {
        std::swap(handle_, other.handle_);
        return *this;
    }

    FolderLock(const FolderLock&) = delete;
    FolderLock& operator=(const FolderLock&) = delete;
    ~FolderLock();

  private:
    explicit FolderLock(int handle) : handle_(handle) {}

    int handle_ = -1;
};

} // namespace pathmark
