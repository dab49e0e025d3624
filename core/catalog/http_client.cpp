#include "core/catalog/http_client.h"

#include "core/base/text.h"

#include <curl/curl.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <memory>
#include <mutex>

namespace pathmark::catalog {
namespace {

using CurlHandle = std::unique_ptr<CURL, void (*)(CURL*)>;

struct Transfer {
    std::string body;
    std::size_t most = 0;
    const std::stop_token* stop = nullptr;
    const HttpRequest* request = nullptr;
    CURL* handle = nullptr;
    std::map<std::string, std::string> headers;
    const std::function<bool(const HttpAnswer&)>* onHead = nullptr;
    bool isHeadTold = false;
};

std::size_t onData(char* data, std::size_t size, std::size_t count, void* user) {
    auto& transfer = *static_cast<Transfer*>(user);
    long status = 0;
    curl_easy_getinfo(transfer.handle, CURLINFO_RESPONSE_CODE, &status);
    if (*transfer.onHead && !transfer.isHeadTold) {
        transfer.isHeadTold = true;
        if (!(*transfer.onHead)({status, {}, transfer.headers})) {
            return 0;
        }
    }
    if (transfer.request->onBytes) {
        return transfer.request->onBytes(status, {data, size * count}) ? size * count : 0;
    }
    if (transfer.body.size() + size * count > transfer.most) {
        return 0;
    }
    transfer.body.append(data, size * count);
    return size * count;
}

std::size_t onHeader(char* data, std::size_t size, std::size_t count, void* user) {
    const std::string_view line(data, size * count);
    const auto colon = line.find(':');
    if (colon != std::string_view::npos) {
        static_cast<Transfer*>(user)->headers[toLower(std::string(line.substr(0, colon)))] =
            std::string(trim(line.substr(colon + 1)));
    }
    return size * count;
}

int onProgress(void* user, curl_off_t, curl_off_t, curl_off_t, curl_off_t) {
    return static_cast<Transfer*>(user)->stop->stop_requested() ? 1 : 0;
}

CurlHandle makeHandle() {
    static std::once_flag once;
    std::call_once(once, [] { curl_global_init(CURL_GLOBAL_DEFAULT); });
    return {curl_easy_init(), &curl_easy_cleanup};
}

void addPart(curl_mime* form, const HttpPart& part) {
    curl_mimepart* added = curl_mime_addpart(form);
    curl_mime_name(added, part.name.c_str());
    curl_mime_data(added, part.content.data(), part.content.size());
    if (!part.file.empty()) {
        curl_mime_filename(added, part.file.c_str());
        curl_mime_type(added, part.type.c_str());
    }
}

} // namespace

Result<HttpAnswer> sendRequest(const HttpRequest& request,
                               const std::stop_token& stop,
                               const std::function<bool(const HttpAnswer&)>& onHead) {
    const CurlHandle handle = makeHandle();
    if (!handle) {
        return fail(ErrorId::CatalogNoAnswer, "The network cannot be used.", request.url);
    }
    Transfer transfer{{}, request.mostBytes, &stop, &request, handle.get(), {}, &onHead, false};
    std::array<char, CURL_ERROR_SIZE> words{};
    CURL* c = handle.get();
    const auto seconds = static_cast<long>(std::max(1.0, request.timeoutSeconds));
    curl_easy_setopt(c, CURLOPT_URL, request.url.c_str());
    curl_easy_setopt(c, CURLOPT_PROTOCOLS_STR, "http,https");
    curl_easy_setopt(c, CURLOPT_REDIR_PROTOCOLS_STR, "http,https");
    curl_easy_setopt(c, CURLOPT_FOLLOWLOCATION, request.follows ? 1L : 0L);
    curl_easy_setopt(c, CURLOPT_MAXREDIRS, 5L);
    curl_easy_setopt(c, CURLOPT_NOSIGNAL, 1L);
    curl_easy_setopt(c, CURLOPT_CONNECTTIMEOUT, std::min(20L, seconds));
    curl_easy_setopt(c, CURLOPT_LOW_SPEED_LIMIT, 1L);
    curl_easy_setopt(c, CURLOPT_LOW_SPEED_TIME, seconds);
    curl_easy_setopt(c, CURLOPT_USERAGENT, "PathMark/" PATHMARK_VERSION);
    curl_easy_setopt(c, CURLOPT_ACCEPT_ENCODING, request.onBytes ? nullptr : "");
    curl_easy_setopt(c, CURLOPT_HEADERFUNCTION, &onHeader);
    curl_easy_setopt(c, CURLOPT_HEADERDATA, &transfer);
    curl_easy_setopt(c, CURLOPT_WRITEFUNCTION, &onData);
    curl_easy_setopt(c, CURLOPT_WRITEDATA, &transfer);
    curl_easy_setopt(c, CURLOPT_XFERINFOFUNCTION, &onProgress);
    curl_easy_setopt(c, CURLOPT_XFERINFODATA, &transfer);
    curl_easy_setopt(c, CURLOPT_NOPROGRESS, 0L);
    curl_easy_setopt(c, CURLOPT_ERRORBUFFER, words.data());
    if (!request.form.empty()) {
        curl_easy_setopt(c, CURLOPT_POSTFIELDS, request.form.c_str());
    }
    const std::unique_ptr<curl_mime, void (*)(curl_mime*)> parts(
        request.parts.empty() ? nullptr : curl_mime_init(c), &curl_mime_free);
    for (const HttpPart& part : request.parts) {
        addPart(parts.get(), part);
    }
    if (parts) {
        curl_easy_setopt(c, CURLOPT_MIMEPOST, parts.get());
    }
    std::unique_ptr<curl_slist, void (*)(curl_slist*)> headers(nullptr, &curl_slist_free_all);
    for (const std::string& header : request.headers) {
        headers.reset(curl_slist_append(headers.release(), header.c_str()));
    }
    if (headers) {
        curl_easy_setopt(c, CURLOPT_HTTPHEADER, headers.get());
    }
    const CURLcode code = curl_easy_perform(c);
    if (request.hasLeft != nullptr) {
        long bytes = 0;
        curl_easy_getinfo(c, CURLINFO_REQUEST_SIZE, &bytes);
        *request.hasLeft = bytes > 0;
    }
    if (stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped while waiting for the service.", request.url);
    }
    if (code != CURLE_OK) {
        return fail(ErrorId::CatalogNoAnswer,
                    fmt::format("The service did not answer ({}).",
                                words[0] != '\0' ? words.data() : curl_easy_strerror(code)),
                    request.url);
    }
    HttpAnswer answer;
    curl_easy_getinfo(c, CURLINFO_RESPONSE_CODE, &answer.status);
    answer.body = std::move(transfer.body);
    answer.headers = std::move(transfer.headers);
    return answer;
}

bool isRefusal(long status) {
    return status >= 400 && status < 500 && status != 408 && status != 429;
}

std::string withoutSlash(std::string url) {
    while (url.ends_with('/')) {
        url.pop_back();
    }
    return url;
}

std::string urlEncoded(const std::string& text) {
    const CurlHandle handle = makeHandle();
    const std::unique_ptr<char, void (*)(void*)> encoded(
        curl_easy_escape(handle.get(), text.data(), static_cast<int>(text.size())), &curl_free);
    return encoded ? encoded.get() : "";
}

} // namespace pathmark::catalog
