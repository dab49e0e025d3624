#pragma once

#include <httplib.h>

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <string>
#include <thread>

namespace pathmark::samp {

/// A server on the loopback with a thread of its own; what it answers is added to `server` before start().
class LoopbackServer {
  public:
    LoopbackServer() = default;
    LoopbackServer(const LoopbackServer&) = delete;
    LoopbackServer& operator=(const LoopbackServer&) = delete;

    ~LoopbackServer();

    /// Listens on a port, or on any free one; throws std::runtime_error where it cannot.
    void start(int port);

    [[nodiscard]] int port() const { return port_; }

    /// "http://127.0.0.1:PORT"
    [[nodiscard]] std::string address() const;

    /// Waits, but not beyond the server's end.
    void pause(std::chrono::seconds time);

    /// Serves until another thread or a signal ends the program.
    void wait();

    httplib::Server server;
    std::atomic<int> requests{0}; ///< counted by those who answer

  private:
    std::thread thread_;
    std::atomic<bool> ending_{false};
    std::mutex guard_;
    std::condition_variable wake_;
    int port_ = 0;
};

} // namespace pathmark::samp
