// Preloaded into the program under test: stands between it and rename() and the database's commits, counts them, and at
// the one that PATHMARK_FAULT_AT names ends the process as a power cut would, or sends the signal that
// PATHMARK_FAULT_SIGNAL names. The program itself knows nothing of it.
#include "tests/support/next_symbol.h"

#include <sys/types.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

using pathmark::test_support::next;

std::atomic<int> events{0};

int numberFrom(const char* name) {
    const char* text = std::getenv(name);
    return text == nullptr ? 0 : std::atoi(text);
}

void event() {
    static const int at = numberFrom("PATHMARK_FAULT_AT");
    static const int signal = numberFrom("PATHMARK_FAULT_SIGNAL");
    if (++events == at) {
        ::kill(::getpid(), signal != 0 ? signal : SIGKILL);
    }
}

} // namespace

extern "C" int rename(const char* from, const char* to) noexcept {
    static const auto real = next<int (*)(const char*, const char*)>("rename");
    event();
    return real(from, to);
}

extern "C" int sqlite3_exec(void* database,
                            const char* sql,
                            int (*callback)(void*, int, char**, char**),
                            void* argument,
                            char** message) {
    static const auto real =
        next<int (*)(void*, const char*, int (*)(void*, int, char**, char**), void*, char**)>(
            "sqlite3_exec");
    if (sql != nullptr && std::strstr(sql, "COMMIT") != nullptr) {
        event();
    }
    return real(database, sql, callback, argument, message);
}
