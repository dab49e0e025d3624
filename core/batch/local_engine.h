#pragma once

#include "core/batch/engine.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

namespace pathmark::batch {

/// Does the pieces on this machine, some at a time, each in a process of its own.
class LocalEngine : public Engine {
  public:
    LocalEngine(const Campaign& campaign, int atOnce);
    ~LocalEngine() override;

    Result<std::string> submit(const PieceArray& array) override;
    Result<std::set<std::string>> atWork() override;

    [[nodiscard]] bool isOrdered() const override { return false; }

    Result<bool> cancel() override;

  private:
    struct Waiting {
        std::filesystem::path list;
        std::size_t place = 0;
        std::string piece;
    };

    void work(const std::stop_token& stop);

    const Campaign& campaign_;
    std::mutex guard_;
    std::condition_variable_any changed_;
    std::deque<Waiting> waiting_;
    std::set<std::string> atWork_;
    int arrays_ = 0;
    std::vector<std::jthread> workers_; ///< last: they end before the rest goes
};

} // namespace pathmark::batch
