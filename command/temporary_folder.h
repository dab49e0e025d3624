#pragma once

#include "core/base/result.h"
#include "core/night/work_folder.h"

#include <memory>

namespace pathmark::command {

/// A new folder where the system keeps what is passing; it goes with this object.
class TemporaryFolder {
  public:
    /// Errors   base.cannot_write
    static Result<TemporaryFolder> make();

    [[nodiscard]] const std::filesystem::path& path() const { return folder_->path(); }

  private:
    std::unique_ptr<night::WorkFolder> folder_;
};

} // namespace pathmark::command
