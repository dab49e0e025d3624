#include "standin/file_service.h"

#include "core/samp/loopback_server.h"

#include <fstream>
#include <functional>
#include <sstream>

namespace pathmark::standin {

struct FileService::State {
    FileServiceOptions options;
    samp::LoopbackServer http;
    std::atomic<int> parts{0};

    /// Does what is wrong with this service; false: nothing is.
    bool misbehave(int number, const std::string& content, httplib::Response& response) {
        switch (options.fault) {
        case Fault::Slow: http.pause(std::chrono::seconds(2)); return false;
        case Fault::Hangs: http.pause(std::chrono::seconds(60)); return false;
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
        const int number = ++http.requests;
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
    s.http.server.Get(R"(/(.+))",
                      [&s](const httplib::Request& q, httplib::Response& r) { s.onGet(q, r); });
    s.http.start(options.port);
}

FileService::~FileService() = default;

std::string FileService::address() const {
    return state_->http.address();
}

int FileService::requests() const {
    return state_->http.requests;
}

int FileService::partRequests() const {
    return state_->parts;
}

void FileService::wait() {
    state_->http.wait();
}

} // namespace pathmark::standin
