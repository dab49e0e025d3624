#pragma once

#include "core/base/angle.h"
#include "core/base/job.h"
#include "core/base/result.h"

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark::catalog {

/// How a Virtual Observatory service is asked.
enum class Protocol {
    Tap,        ///< Table Access Protocol, a synchronous query in ADQL
    ConeSearch, ///< Simple Cone Search
};

/// What is wanted of a service.
struct FetchRequest {
    std::string service; ///< its address, e.g. "https://host/tap"
    std::optional<Protocol>
        protocol; ///< absent: TAP where the address ends in "tap" or "sync", else cone search
    std::string table = "gaiadr3.gaia_source"; ///< of a TAP service
    SkyPos centre;
    Angle radius;
    std::optional<double> faintestG; ///< magnitude
    int mostRows = 3'000'000;        ///< asked of a TAP service
    double timeoutSeconds = 60.0;    ///< without a byte; the whole answer may take longer
    int tries = 3;               ///< with growing pauses in between; a refusal is not tried again
    std::filesystem::path cache; ///< folder that answers are kept in
    std::string keepAs;          ///< name of the file there; empty: a digest of the question
    bool onlyWhole = false;      ///< an answer that leaves stars out is not kept
};

/// Where an answer lies.
struct Fetched {
    std::filesystem::path table; ///< VOTable, in the cache
    bool fromCache = false;
    bool isCutOff = false; ///< the service sent as many stars as it does at once, and has more
    std::string query;     ///< what was asked
};

/// Asks a service for the stars of a field, or finds the answer in the cache. The answer is kept only where it is a
/// VOTable; not more than one request a second goes out.
///
/// Errors   catalog.no_answer       no connection, too slow, cut off, or no VOTable, after all tries
///          catalog.service_refused an error of the service's own (HTTP 4xx or QUERY_STATUS)
///          base.cancelled, base.cannot_write, base.disk_full
/// Source   TAP 1.1, IVOA Recommendation 2019; ADQL 2.0, 2008; Simple Cone Search 1.03, 2008.
Result<Fetched> fetchField(const FetchRequest& request, const Job& job);

} // namespace pathmark::catalog
