#pragma once

#include "core/base/job.h"
#include "core/base/result.h"

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>

namespace pathmark::catalog {

/// A file of a web server that is kept here.
struct RemoteFile {
    std::string url;
    std::filesystem::path target;
    std::function<Result<bool>(const std::filesystem::path&)>
        check;                    ///< whether what came can be used; an older file stays where not
    double timeoutSeconds = 60.0; ///< without a byte
    int tries = 3;                ///< with growing pauses in between; a refusal is not tried again
};

struct FetchedFile {
    bool isNew = false; ///< false: the server has none newer than the file that is here
    std::uintmax_t bytes = 0;
};

/// Fetches a file, or learns that it has not changed.
///
/// Model    What the server said of the file last time (ETag, Last-Modified) is sent along, so that an unchanged one costs one short
///          answer. A transfer that breaks off goes on where it stood, in this call or the next, unless the file has changed or the machine was
///          switched off meanwhile. The file replaces an older one only when it is whole and `check` agrees.
/// Files    Beside the target: TARGET.fetched (what the server said), TARGET.part while it is not whole.
/// Errors   catalog.no_answer, catalog.service_refused, those of `check`, base.cancelled, base.cannot_write, base.disk_full
/// Source   RFC 9110, sec. 13 (conditional requests), 14 (ranges).
Result<FetchedFile> fetchFile(const RemoteFile& file, const Job& job);

} // namespace pathmark::catalog
