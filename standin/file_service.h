#pragma once

#include "standin/catalog_service.h"

namespace pathmark::standin {

struct FileServiceOptions {
    std::filesystem::path folder; ///< its files are served under their names
    int port = 0;                 ///< 0: any free one
    Fault fault = Fault::None;
};

/// Files on the loopback, with ETag, Last-Modified and ranges: lists of orbits and codes as public archives have them.
class FileService {
  public:
    /// Starts to listen; throws std::runtime_error where it cannot.
    explicit FileService(const FileServiceOptions& options);
    ~FileService();
    FileService(const FileService&) = delete;
    FileService& operator=(const FileService&) = delete;

    /// "http://127.0.0.1:PORT"
    [[nodiscard]] std::string address() const;

    /// Requests that came in, and of them those for a part.
    [[nodiscard]] int requests() const;
    [[nodiscard]] int partRequests() const;

    /// Serves until another thread or a signal ends the program.
    void wait();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

} // namespace pathmark::standin
