#include "standin/file_service.h"

#include <httplib.h>

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <fstream>
#include <functional>
#include <mutex>
#include <sstream>
#include <stdexcept>
#include <thread>

namespace pathmark::standin {

struct FileService::State {
    FileServiceOptions options;
    httplib::Server server;
    std::thread thread;
    std::atomic<int> requests{0};
    std::atomic<int> parts{0};
    std::atomic<bool> ending{false};
    std::mutex guard;
    std::condition_variable wake;
    int port = 0;

    /// Waits, but not beyond the service's end.
    void pause(std::chrono::seconds time) {
        std::unique_lock lock(guard);
        wake.wait_for(lock, time, [&] { return ending.load(); });
    }

    /// Does what is wrong with this service; false: nothing is.
    bool misbehave(int number, const std::string& content, httplib::Response& response) {
        switch (options.fault) {
        case Fault::Slow: pause(std::chrono::seconds(2)); return false;
        case Fault::Hangs: pause(std::chrono::seconds(60)); return false;
        case Fault::Web:
            response.set_content("<!DOCTYPE html><html><body>Please log in</body></html>",
                                 "text/html");
            return true;
        case Fault::Rubbish:
            response.set_content("\x01\xFF\x02 nothing that anybody reads", "text/plain");
            return true;
        case Fault::Broken:
            response.status = 500;
            response.set_content("internal error", "text/plain");
            return true;
        case Fault::Refuses:
            response.status = 403;
            response.set_content("not for you", "text/plain");
            return true;
        case Fault::BusyOnce: response.status = number == 1 ? 503 : 200; return number == 1;
        case Fault::Closes:
        case Fault::ClosesOnce:
            if (options.fault == Fault::ClosesOnce && number > 1) {
                return false;
            }
            response.set_content_provider(
                content.size(),
                "text/plain",
                [content](std::size_t offset, std::size_t, httplib::DataSink& sink) {
                    return offset == 0 && sink.write(content.data(), content.size() / 2);
                });
            return true;
        case Fault::None: return false;
        }
        return false;
    }

    void onGet(const httplib::Request& request, httplib::Response& response) {
        const int number = ++requests;
        parts += request.ranges.empty() ? 0 : 1;
        const auto path =
            options.folder / std::filesystem::path(request.matches[1].str()).filename();
        std::ifstream stream(path, std::ios::binary);
        if (!stream) {
            response.status = 404;
            response.set_content("no such file", "text/plain");
            return;
        }
        std::ostringstream read;
        read << stream.rdbuf();
        const std::string content = read.str();
        const std::string etag = "\"" + std::to_string(std::hash<std::string>{}(content)) + "\"";
        response.set_header("ETag", etag);
        if (request.get_header_value("If-None-Match") == etag) {
            response.status = 304;
            return;
        }
        if (misbehave(number, content, response)) {
            return;
        }
        if (!request.ranges.empty() && request.get_header_value("If-Range") != etag) {
            // Another state of the file: all of it, in chunks, of which no range is taken.
            response.status = 200;
            response.set_chunked_content_provider("text/plain",
                                                  [content](std::size_t, httplib::DataSink& sink) {
                                                      sink.write(content.data(), content.size());
                                                      sink.done();
                                                      return true;
                                                  });
            return;
        }
        response.set_content(content, "text/plain");
    }
};

FileService::FileService(const FileServiceOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.options = options;
    s.server.set_keep_alive_timeout(1);
    s.server.Get(R"(/(.+))",
                 [&s](const httplib::Request& q, httplib::Response& r) { s.onGet(q, r); });
    s.port = options.port == 0
                 ? s.server.bind_to_any_port("127.0.0.1")
                 : (s.server.bind_to_port("127.0.0.1", options.port) ? options.port : -1);
    if (s.port <= 0) {
        throw std::runtime_error("the port is in use");
    }
    s.thread = std::thread([&s] { s.server.listen_after_bind(); });
    while (!s.server.is_running()) {
        std::this_thread::yield();
    }
}

FileService::~FileService() {
    state_->ending = true;
    state_->wake.notify_all();
    state_->server.stop();
    state_->thread.join();
}

std::string FileService::address() const {
    return "http://127.0.0.1:" + std::to_string(state_->port);
}

int FileService::requests() const {
    return state_->requests;
}

int FileService::partRequests() const {
    return state_->parts;
}

void FileService::wait() {
    std::unique_lock lock(state_->guard);
    state_->wake.wait(lock, [&] { return state_->ending.load(); });
}

} // namespace pathmark::standin
