#include "core/night/night_database.h"

#include <fmt/format.h>

namespace pathmark::night {

Error databaseError(const std::exception& error, const std::filesystem::path& path, bool writing) {
    // 11: malformed, 26: no database, 1: a table that should be there is not.
    const auto* sqlite = dynamic_cast<const SQLite::Exception*>(&error);
    const int code = sqlite != nullptr ? sqlite->getErrorCode() : 11;
    if (code == 11 || code == 26 || (code == 1 && !writing)) {
        return {ErrorId::NightFileDamaged,
                fmt::format("This is no night file, or it is damaged ({}). Move it away and run "
                            "again, or give another name; frames and reports are not touched.",
                            error.what()),
                path.string()};
    }
    return {ErrorId::NightCannotStore,
            fmt::format("The night file cannot be {} ({}); free space or check the folder, then "
                        "run again.",
                        writing ? "written" : "read",
                        error.what()),
            path.string()};
}

Result<bool> transact(SQLite::Database& database,
                      const std::filesystem::path& path,
                      const std::function<void()>& change) {
    try {
        SQLite::Transaction transaction(database, SQLite::TransactionBehavior::IMMEDIATE);
        change();
        transaction.commit();
        return true;
    } catch (const SQLite::Exception& error) {
        return fail(databaseError(error, path, true));
    } catch (const std::exception& error) {
        // A record in it: the library's own are caught above.
        return fail(databaseError(error, path, false));
    }
}

} // namespace pathmark::night
