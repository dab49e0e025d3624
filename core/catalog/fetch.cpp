#include "core/catalog/fetch.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/pause.h"
#include "core/base/text.h"
#include "core/catalog/http_client.h"
#include "core/catalog/votable.h"

#include <fmt/format.h>

#include <chrono>
#include <mutex>
#include <thread>

namespace pathmark::catalog {
namespace fs = std::filesystem;

namespace {

constexpr std::chrono::milliseconds kBetweenRequests{1000};
constexpr const char* kTableEnding = ".vot";

Protocol protocolOf(const FetchRequest& request) {
    const std::string url = toLower(withoutSlash(request.service));
    return request.protocol.value_or(
        url.ends_with("tap") || url.ends_with("sync") ? Protocol::Tap : Protocol::ConeSearch);
}

HttpRequest tapQuery(const FetchRequest& request, std::string& query) {
    std::string columns;
    for (std::size_t i = 0; i < kStarColumns; ++i) {
        columns += (i == 0 ? "" : ", ") + std::string(name(static_cast<StarColumn>(i)));
    }
    query = fmt::format("SELECT TOP {} {} FROM {} WHERE 1 = CONTAINS(POINT('ICRS', ra, dec), "
                        "CIRCLE('ICRS', {:.7f}, {:.7f}, {:.6f}))",
                        request.mostRows,
                        columns,
                        request.table,
                        request.centre.longitude.degrees(),
                        request.centre.latitude.degrees(),
                        request.radius.degrees());
    if (request.faintestG) {
        query += fmt::format(" AND phot_g_mean_mag <= {:.3f}", *request.faintestG);
    }
    HttpRequest http;
    http.url = withoutSlash(request.service);
    if (!http.url.ends_with("sync")) {
        http.url += "/sync";
    }
    http.form = fmt::format("REQUEST=doQuery&LANG=ADQL&RESPONSEFORMAT={}&MAXREC={}&QUERY={}",
                            urlEncoded("application/x-votable+xml"),
                            request.mostRows,
                            urlEncoded(query));
    return http;
}

HttpRequest coneSearch(const FetchRequest& request, std::string& query) {
    query = fmt::format("RA={:.7f}&DEC={:.7f}&SR={:.6f}&VERB=3",
                        request.centre.longitude.degrees(),
                        request.centre.latitude.degrees(),
                        request.radius.degrees());
    HttpRequest http;
    const char last = request.service.empty() ? '?' : request.service.back();
    const bool hasQuestion = request.service.find('?') != std::string::npos;
    http.url =
        request.service + (!hasQuestion ? "?" : (last == '?' || last == '&' ? "" : "&")) + query;
    return http;
}

/// Keeps requests of this program apart, as services ask; one on this machine need not be spared.
bool waitForTurn(const std::string& url, const std::stop_token& stop) {
    if (url.starts_with("http://127.0.0.1:") || url.starts_with("http://localhost:")) {
        return true;
    }
    static std::mutex guard;
    static std::chrono::steady_clock::time_point next;
    std::chrono::steady_clock::time_point mine;
    {
        const std::scoped_lock lock(guard);
        const auto now = std::chrono::steady_clock::now();
        mine = std::max(now, next);
        next = mine + kBetweenRequests;
    }
    const auto wait = std::chrono::duration_cast<std::chrono::milliseconds>(
        mine - std::chrono::steady_clock::now());
    return wait.count() <= 0 || pauseFor(wait, stop);
}

/// The first words of an answer that should have been a table.
std::string beginningOf(const std::string& body) {
    std::string text;
    bool inTag = false;
    for (const char c : body.substr(0, 2000)) {
        inTag = c == '<' || (inTag && c != '>');
        if (!inTag && c != '>') {
            const bool blank = static_cast<unsigned char>(c) <= ' ';
            if (!blank || (!text.empty() && text.back() != ' ')) {
                text += blank ? ' ' : c;
            }
        }
    }
    return std::string(trim(text)).substr(0, 120);
}

/// One try: the table in a file, or why not.
Result<bool>
fetchOnce(const HttpRequest& http, const FetchRequest& request, Fetched& fetched, const Job& job) {
    if (!waitForTurn(http.url, job.stop)) {
        return fail(ErrorId::BaseCancelled, "Stopped while waiting for the service.");
    }
    const auto answer = sendRequest(http, job.stop);
    if (!answer) {
        return fail(answer.error());
    }
    const bool looksLikeTable = answer->body.find("<VOTABLE") != std::string::npos ||
                                answer->body.find(":VOTABLE") != std::string::npos;
    if (isRefusal(answer->status) && !looksLikeTable) {
        return fail(ErrorId::CatalogServiceRefused,
                    fmt::format("The service refused (HTTP {}): {}",
                                answer->status,
                                beginningOf(answer->body)),
                    http.url);
    }
    if (!looksLikeTable) {
        return fail(ErrorId::CatalogNoAnswer,
                    fmt::format("The service answered with no table (HTTP {}): {}",
                                answer->status,
                                beginningOf(answer->body)),
                    http.url);
    }
    return writeWhole(fetched.table, [&](const fs::path& temporary) -> Result<bool> {
        if (auto text = writeWholeText(temporary, answer->body); !text) {
            return text;
        }
        // Only a table that can be read to its end is kept.
        const auto read = readVotable(
            temporary, [](const std::vector<StarRow>&) { return Result<bool>(true); }, job.stop);
        if (!read) {
            Error error = read.error();
            error.subject = http.url;
            if (error.id == ErrorId::CatalogBadTable) {
                error.id = ErrorId::CatalogNoAnswer;
            }
            return fail(error);
        }
        fetched.isCutOff =
            read->isCutOff || read->rows >= static_cast<std::uint64_t>(request.mostRows);
        if (fetched.isCutOff && request.onlyWhole) {
            return fail(ErrorId::CatalogServiceRefused,
                        "The service sends only a part of these stars at once.",
                        http.url);
        }
        return true;
    });
}

} // namespace

Result<Fetched> fetchField(const FetchRequest& request, const Job& job) {
    Fetched fetched;
    HttpRequest http = protocolOf(request) == Protocol::Tap ? tapQuery(request, fetched.query)
                                                            : coneSearch(request, fetched.query);
    http.timeoutSeconds = request.timeoutSeconds;
    if (auto made = makeFolder(request.cache); !made) {
        return fail(made.error());
    }
    fetched.table =
        request.cache / (request.keepAs.empty()
                             ? Digest().add(http.url).add(http.form).hex() + kTableEnding
                             : request.keepAs);
    std::error_code ignored;
    if (fs::exists(fetched.table, ignored)) {
        fetched.fromCache = true;
        return fetched;
    }
    Result<bool> done = fail(ErrorId::CatalogNoAnswer, "The service was not asked.");
    for (int attempt = 1; attempt <= std::max(1, request.tries); ++attempt) {
        done = fetchOnce(http, request, fetched, job);
        if (done) {
            return fetched;
        }
        if (fetched.isCutOff && request.onlyWhole) {
            fetched.table.clear();
            return fetched;
        }
        if (done.error().id != ErrorId::CatalogNoAnswer) {
            return fail(done.error());
        }
        job.message(toMessage(done.error()));
        if (attempt < request.tries &&
            !pauseFor(std::chrono::milliseconds(500 * attempt * attempt), job.stop)) {
            return fail(ErrorId::BaseCancelled, "Stopped while waiting for the service.");
        }
    }
    Error error = done.error();
    error.detail += fmt::format(" {} tries were made; check the address, or try later.",
                                std::max(1, request.tries));
    return fail(error);
}

} // namespace pathmark::catalog
