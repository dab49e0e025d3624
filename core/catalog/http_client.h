#pragma once

#include "core/base/result.h"

#include <stop_token>
#include <string>

namespace pathmark::catalog {

/// A request to a web service.
struct HttpRequest {
    std::string url;
    std::string form;             ///< sent as a form (POST) where not empty
    double timeoutSeconds = 60.0; ///< without a byte
    std::size_t mostBytes = 2'000'000'000;
};

struct HttpAnswer {
    long status = 0;
    std::string body;
};

/// Sends one request and waits for the answer.
///
/// Errors   catalog.no_answer  no connection, time-out, closed in the middle; base.cancelled
Result<HttpAnswer> sendRequest(const HttpRequest& request, const std::stop_token& stop);

/// A text as part of an address or a form.
std::string urlEncoded(const std::string& text);

} // namespace pathmark::catalog
