#include "core/samp/loopback_server.h"

#include <stdexcept>

namespace pathmark::samp {

LoopbackServer::~LoopbackServer() {
    ending_ = true;
    wake_.notify_all();
    server.stop();
    if (thread_.joinable()) {
        thread_.join();
    }
}

void LoopbackServer::start(int port) {
    server.set_keep_alive_timeout(1);
    port_ = port == 0 ? server.bind_to_any_port("127.0.0.1")
                      : (server.bind_to_port("127.0.0.1", port) ? port : -1);
    if (port_ <= 0) {
        throw std::runtime_error("the port is in use");
    }
    thread_ = std::thread([this] { server.listen_after_bind(); });
    while (!server.is_running()) {
        std::this_thread::yield();
    }
}

std::string LoopbackServer::address() const {
    return "http://127.0.0.1:" + std::to_string(port_);
}

void LoopbackServer::pause(std::chrono::seconds time) {
    std::unique_lock lock(guard_);
    wake_.wait_for(lock, time, [this] { return ending_.load(); });
}

void LoopbackServer::wait() {
    std::unique_lock lock(guard_);
    wake_.wait(lock, [this] { return ending_.load(); });
}

} // namespace pathmark::samp
