#pragma once

#include <filesystem>

namespace pathmark::night {

/// A folder of work that goes when it is done with.
class WorkFolder {
  public:
    explicit WorkFolder(std::filesystem::path path) : path_(std::move(path)) {}

    ~WorkFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }

    WorkFolder(const WorkFolder&) = delete;
    WorkFolder& operator=(const WorkFolder&) = delete;

    [[nodiscard]] const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

} // namespace pathmark::night
