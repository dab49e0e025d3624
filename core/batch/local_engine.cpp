#include "core/batch/local_engine.h"

#include "core/batch/process.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::batch {

LocalEngine::LocalEngine(const Campaign& campaign, int atOnce) : campaign_(campaign) {
    for (int i = 0; i < std::max(1, atOnce); ++i) {
        workers_.emplace_back([this](const std::stop_token& stop) { work(stop); });
    }
}

LocalEngine::~LocalEngine() {
    for (std::jthread& worker : workers_) {
        worker.request_stop();
    }
}

Result<std::string> LocalEngine::submit(const PieceArray& array) {
    const std::scoped_lock lock(guard_);
    for (std::size_t k = 0; k < array.pieces.size(); ++k) {
        waiting_.push_back({array.list, k, array.pieces[k]});
        atWork_.insert(array.pieces[k]);
    }
    changed_.notify_all();
    return fmt::format("{}", ++arrays_);
}

Result<std::set<std::string>> LocalEngine::atWork() {
    const std::scoped_lock lock(guard_);
    return atWork_;
}

Result<bool> LocalEngine::cancel() {
    const std::scoped_lock lock(guard_);
    for (const Waiting& one : waiting_) {
        atWork_.erase(one.piece);
    }
    waiting_.clear();
    return true;
}

void LocalEngine::work(const std::stop_token& stop) {
    while (!stop.stop_requested()) {
        Waiting next;
        {
            std::unique_lock lock(guard_);
            if (!changed_.wait(lock, stop, [this] { return !waiting_.empty(); })) {
                return;
            }
            next = std::move(waiting_.front());
            waiting_.pop_front();
        }
        Command command{pieceWords(campaign_, next.list, std::to_string(next.place)),
                        {},
                        campaign_.folder / "log" / "pieces.txt"};
        (void)runCommand(command, stop); // what came of it stands in the shared folder
        const std::scoped_lock lock(guard_);
        atWork_.erase(next.piece);
    }
}

} // namespace pathmark::batch
