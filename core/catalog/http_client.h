#pragma once

#include "core/base/result.h"

#include <functional>
#include <map>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::catalog {

/// A part of a form of several parts.
struct HttpPart {
    std::string name;
    std::string content;
    std::string file; ///< its name, where the part is a file
    std::string type; ///< its media type, where the part is a file
};

/// A request to a web service.
struct HttpRequest {
    std::string url;
    std::string form;             ///< sent as a form (POST) where not empty
    std::vector<HttpPart> parts;  ///< sent as a form of several parts (POST) where there are any
    bool follows = true;          ///< where the service sends to another address
    double timeoutSeconds = 60.0; ///< without a byte
    std::size_t mostBytes = 2'000'000'000;
    std::vector<std::string> headers; ///< "Name: value"
    bool* hasLeft = nullptr; ///< told, also where sending fails, whether a byte of the request left
    /// Takes the bytes as they come, with the status of the answer; false ends the transfer. The answer's body is empty then, and
    /// nothing is packed on the way.
    std::function<bool(long status, std::string_view bytes)> onBytes;
};

struct HttpAnswer {
    long status = 0;
    std::string body;
    std::map<std::string, std::string> headers; ///< names in small letters
};

/// Sends one request and waits for the answer. `onHead` is told status and headers before the first byte; false ends the transfer.
///
/// Errors   catalog.no_answer  no connection, time-out, closed in the middle; base.cancelled
Result<HttpAnswer> sendRequest(const HttpRequest& request,
                               const std::stop_token& stop,
                               const std::function<bool(const HttpAnswer&)>& onHead = {});

/// Whether a status is a refusal that asking again does not change: 4xx, but for time-outs and too many requests.
bool isRefusal(long status);

/// An address without the slashes at its end.
std::string withoutSlash(std::string url);

/// A text as part of an address or a form.
std::string urlEncoded(const std::string& text);

} // namespace pathmark::catalog
