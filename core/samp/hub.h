#pragma once

#include "core/base/result.h"
#include "core/samp/lock_file.h"

#include <filesystem>
#include <memory>

namespace pathmark::samp {

/// A small hub on the loopback: programs of this user find it by the lock file, and send each other messages through it.
///
/// Source   IVOA Recommendation SAMP 1.3, sections 3 (the hub's services) and 4 (Standard Profile)
class Hub {
  public:
    /// Starts to listen, and tells its address in the lock file.
    ///
    /// Errors   samp.no_hub  another hub is there, or the loopback cannot be used; base.cannot_write
    static Result<std::unique_ptr<Hub>> start(const std::filesystem::path& lockFile);

    /// Tells all members that it ends, and takes its lock file away.
    ~Hub();
    Hub(const Hub&) = delete;
    Hub& operator=(const Hub&) = delete;

    [[nodiscard]] const HubAddress& address() const;

    /// Programs that are registered.
    [[nodiscard]] std::size_t members() const;

  private:
    struct State;
    Hub();

    std::unique_ptr<State> state_;
};

} // namespace pathmark::samp
