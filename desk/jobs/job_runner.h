#pragma once

#include <QObject>
#include <QThreadPool>

#include <atomic>
#include <functional>

namespace pathmark::desk {

/// The workers of the window. Views hand their work to lanes (JobLane) and own no threads.
class JobRunner : public QObject {
    Q_OBJECT

  public:
    explicit JobRunner(QObject* parent = nullptr);
    ~JobRunner() override; ///< waits for what runs; what waits is not begun any more

    /// From any thread.
    void begin(std::function<void()> work);

    /// Calls in the window's thread, from any thread, while the runner is there.
    void post(std::function<void()> call);

    /// The program ends: no more work is begun.
    [[nodiscard]] bool isClosing() const { return closing_; }

  private:
    std::atomic<bool> closing_ = false;
    QThreadPool pool_;
};

} // namespace pathmark::desk
