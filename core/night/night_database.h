#pragma once

#include "core/base/result.h"

#include <SQLiteCpp/SQLiteCpp.h>

#include <filesystem>
#include <functional>
#include <string>

namespace pathmark::night {

/// The error that an exception of the database, or of a record in it, means.
Error databaseError(const std::exception& error, const std::filesystem::path& path, bool writing);

/// Runs `change` as one transaction; the library's exceptions become ours here.
Result<bool> transact(SQLite::Database& database,
                      const std::filesystem::path& path,
                      const std::function<void()>& change);

/// Runs `read`; the library's exceptions and those of damaged records become ours here.
template <typename Read>
auto reading(const std::filesystem::path& path, Read&& read) -> Result<decltype(read())> {
    try {
        return read();
    } catch (const std::exception& error) {
        return fail(databaseError(error, path, false));
    }
}

/// Makes the tables of a new night file, or brings an older one up to date. Throws SQLite::Exception.
///
/// Errors   night.file_damaged  it is of a later version, or a record of an older one cannot be read
Result<bool> migrate(SQLite::Database& database, const std::filesystem::path& path);

/// The version that this program writes.
constexpr int kNightVersion = 5;

} // namespace pathmark::night
