#pragma once

#include "standin/star_rows.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

namespace pathmark::standin {

/// What a service may do wrong.
enum class Fault {
    None,
    Slow,       ///< answers after two seconds
    Hangs,      ///< accepts and says nothing for a minute
    Web,        ///< answers with a web page
    Closes,     ///< closes the line in the middle of the table
    ClosesOnce, ///< likewise, the first time
    Rubbish,    ///< answers with bytes that mean nothing
    Broken,     ///< HTTP 500
    BusyOnce,   ///< HTTP 503 once, then as it should
    Refuses,    ///< an error of its own in a VOTable, HTTP 400
};

std::optional<Fault> faultNamed(std::string_view word);

struct ServiceOptions {
    std::filesystem::path stars; ///< CSV with the archive's column names
    int port = 0;                ///< 0: any free one
    Fault fault = Fault::None;
    bool binary = false;          ///< BINARY2 instead of TABLEDATA
    std::size_t most = 1'000'000; ///< rows that it sends at once
};

/// A star catalogue on the loopback: TAP at /tap/sync, cone search at /cone.
class CatalogService {
  public:
    /// Starts to listen; throws std::runtime_error where it cannot.
    explicit CatalogService(const ServiceOptions& options);
    ~CatalogService();
    CatalogService(const CatalogService&) = delete;
    CatalogService& operator=(const CatalogService&) = delete;

    [[nodiscard]] int port() const;

    /// "http://127.0.0.1:PORT"
    [[nodiscard]] std::string address() const;

    /// Requests that came in.
    [[nodiscard]] int requests() const;

    /// Serves until another thread or a signal ends the program.
    void wait();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

} // namespace pathmark::standin
