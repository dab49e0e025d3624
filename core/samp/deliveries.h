#pragma once

#include "core/samp/xml_rpc.h"

#include <condition_variable>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

namespace pathmark::samp {

/// Brings calls to programs in the order of their sending, each program by a thread of its own: one that hangs keeps nobody waiting.
/// What a program does not take is lost for it beyond so many.
class Deliveries {
  public:
    static constexpr std::size_t kMostWaiting = 2000;

    /// `onGone` is told the name of who did not answer three times in a row.
    explicit Deliveries(std::function<void(const std::string&)> onGone)
        : onGone_(std::move(onGone)) {}

    ~Deliveries();
    Deliveries(const Deliveries&) = delete;
    Deliveries& operator=(const Deliveries&) = delete;

    /// false: too much waits for it already.
    bool send(const std::string& to, const std::string& url, RpcCall call);

    /// What waits for a program is dropped.
    void forget(const std::string& to);

  private:
    struct Lane;

    void work(const std::string& to, const std::shared_ptr<Lane>& lane);

    std::function<void(const std::string&)> onGone_;
    std::mutex guard_;
    std::map<std::string, std::shared_ptr<Lane>> lanes_;
    std::vector<std::thread> ended_; ///< of programs that were forgotten
};

/// Calls a program and waits for its answer, at most ten seconds.
///
/// Errors   samp.refused, samp.no_hub  it does not answer
Result<nlohmann::json> callOver(const std::string& url, const RpcCall& call, double seconds = 10.0);

} // namespace pathmark::samp
