#include "desk/jobs/job_lane.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <stop_token>

namespace pathmark::desk {

/// What a lane and its workers share; it outlives both.
struct LaneState {
    struct Waiting {
        std::function<std::function<void()>(const Job&)> work;
        Job job;
        int generation = 0;
    };

    std::mutex mutex;
    std::condition_variable idle;
    std::deque<Waiting> waiting;
    int running = 0;

    // Of the window's thread alone.
    int generation = 0; ///< grows when what was started becomes worthless
    int pending = 0;    ///< results of this generation that are to come
    std::stop_source stop;
};

namespace {

/// Does what waits in a lane until nothing does.
void work(JobRunner& runner, const std::shared_ptr<LaneState>& state) {
    std::unique_lock lock(state->mutex);
    while (!state->waiting.empty() && !runner.isClosing()) {
        LaneState::Waiting next = std::move(state->waiting.front());
        state->waiting.pop_front();
        lock.unlock();
        auto finish = next.work(next.job);
        runner.post([state, finish = std::move(finish), generation = next.generation] {
            if (generation == state->generation) {
                --state->pending;
                finish();
            }
        });
        lock.lock();
    }
    --state->running;
    state->idle.notify_all();
}

} // namespace

JobLane::JobLane(JobRunner& runner, int atOnce, QObject* parent)
    : QObject(parent), runner_(runner), atOnce_(atOnce), state_(std::make_shared<LaneState>()) {}

JobLane::~JobLane() {
    drop();
}

void JobLane::enqueue(std::function<Finish(const Job&)> begun) {
    Job job;
    job.stop = state_->stop.get_token();
    const auto sendIfWanted = [this, state = state_, generation = state_->generation](auto call) {
        runner_.post([state, generation, call = std::move(call)] {
            if (generation == state->generation) {
                call();
            }
        });
    };
    job.onProgress = [this, sendIfWanted](const Progress& p) {
        sendIfWanted([this, p] { showProgress(p); });
    };
    job.onMessage = [this, sendIfWanted](const std::string& text) {
        sendIfWanted([this, text] { emit messageSent(QString::fromStdString(text)); });
    };
    ++state_->pending;
    const std::lock_guard lock(state_->mutex);
    state_->waiting.push_back({std::move(begun), std::move(job), state_->generation});
    if (state_->running < atOnce_) {
        ++state_->running;
        runner_.begin([runner = &runner_, state = state_] { work(*runner, state); });
    }
}

void JobLane::drop() {
    stop();
    ++state_->generation;
    state_->pending = 0;
    const std::lock_guard lock(state_->mutex);
    state_->waiting.clear();
}

void JobLane::stop() {
    state_->stop.request_stop();
    state_->stop = std::stop_source();
}

std::function<void()> JobLane::waiter() const {
    return [state = state_] {
        std::unique_lock lock(state->mutex);
        state->idle.wait(lock, [&] { return state->running == 0; });
    };
}

bool JobLane::isBusy() const {
    return state_->pending > 0;
}

void JobLane::showProgress(const Progress& progress) {
    const QString stage = QString::fromStdString(progress.stage);
    if (stage != stage_) {
        stage_ = stage;
        stageClock_.start();
    }
    const double spent = static_cast<double>(stageClock_.elapsed()) / 1000.0;
    const double left = progress.done > 0 && progress.total > 0
                            ? spent / progress.done * (progress.total - progress.done)
                            : -1.0;
    emit progressed(stage, progress.done, progress.total, left);
}

} // namespace pathmark::desk
