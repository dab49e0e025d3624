#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "desk/jobs/job_runner.h"

#include <QElapsedTimer>
#include <QObject>
#include <QString>

#include <exception>
#include <functional>
#include <memory>
#include <type_traits>
#include <utility>

namespace pathmark::desk {

struct LaneState;

/// Work that belongs together, done by the one runner: at most `atOnce` jobs of a lane at a time, in order. What a job is given is
/// copied into it, and what becomes of it is told in the window's thread; a lane that is dropped or gone tells nothing more.
class JobLane : public QObject {
    Q_OBJECT

  public:
    JobLane(JobRunner& runner, int atOnce, QObject* parent = nullptr);
    ~JobLane() override; ///< drops

    /// Does `work` on a worker, then `then` with its result in the window's thread. Work may take a `const Job&`: it is stopped
    /// through it, and tells how far it is. Work that the machine has no memory or thread for ends in an error where its result
    /// can be one, else in a message alone.
    template <class Work, class Then>
    void start(Work work, Then then) {
        enqueue([this, work = std::move(work), then = std::move(then)](const Job& job) -> Finish {
            using Answer = decltype(call(work, job));
            std::shared_ptr<Answer> result;
            try {
                result = std::make_shared<Answer>(call(work, job));
            } catch (const std::exception& exception) {
                const Error error = errorOf(exception);
                if constexpr (std::is_constructible_v<Answer, tl::unexpected<Error>>) {
                    result = std::make_shared<Answer>(fail(error));
                } else {
                    return [this, error] {
                        emit messageSent(QString::fromStdString(toMessage(error)));
                    };
                }
            }
            return [then, result] { then(std::move(*result)); };
        });
    }

    /// What was started is worthless: the waiting is not begun, the running asked to stop, and no result is told any more.
    void drop();

    /// Asks what runs to stop; its result is told.
    void stop();

    /// Waits until all that was started is done, the waiting too.
    void finish() { waiter()(); }

    /// The same for another thread, after the lane is gone too.
    [[nodiscard]] std::function<void()> waiter() const;

    /// Whether results are still to come.
    [[nodiscard]] bool isBusy() const;

  signals:
    /// How far the running job is; seconds left are negative while they are not known.
    void progressed(const QString& stage, int done, int total, double secondsLeft);
    void messageSent(const QString& message);

  private:
    using Finish = std::function<void()>;

    template <class Work>
    static auto call(const Work& work, const Job& job) {
        if constexpr (std::is_invocable_v<const Work&, const Job&>) {
            return work(job);
        } else {
            return work();
        }
    }

    void enqueue(std::function<Finish(const Job&)> work);
    void showProgress(const Progress& progress);

    JobRunner& runner_;
    int atOnce_;
    std::shared_ptr<LaneState> state_;
    QElapsedTimer stageClock_;
    QString stage_;
};

} // namespace pathmark::desk
