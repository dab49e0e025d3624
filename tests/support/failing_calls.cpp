// Preloaded into the program under test: lets calls to the system go wrong. The program itself knows nothing of it.
//   PATHMARK_FAIL_CALL   write, sync, rename, open, folder, memory or thread: which kind of call
//   PATHMARK_FAIL_AT     the n-th of them fails; 0: none does
//   PATHMARK_FAIL_ON     1: all after it too, as on a disk that is full or gone
//   PATHMARK_FAIL_ERRNO  with what
//   PATHMARK_FAIL_COUNT  a file that is told the number of calls when the program ends
// Of writes and syncs only those of files count, not of pipes, terminals and what the program says; of memory only blocks of 64 KB and more: pixels
// and tables; libraries end the program themselves where they do not get a few bytes.
#include "tests/support/next_symbol.h"

#include <fcntl.h>
#include <pthread.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

using pathmark::test_support::next;

enum Call { Write, Sync, Rename, Open, Folder, Memory, Thread, None };

constexpr const char* kNames[] = {"write", "sync", "rename", "open", "folder", "memory", "thread"};

struct Plan {
    Call call = None;
    long at = 0;
    bool goesOn = false;
    int error = EIO;
    const char* count = nullptr;

    Plan() {
        const char* name = std::getenv("PATHMARK_FAIL_CALL");
        for (int k = 0; name != nullptr && k < None; ++k) {
            call = std::strcmp(name, kNames[k]) == 0 ? static_cast<Call>(k) : call;
        }
        const auto number = [](const char* variable, long otherwise) {
            const char* text = std::getenv(variable);
            return text == nullptr ? otherwise : std::atol(text);
        };
        at = number("PATHMARK_FAIL_AT", 0);
        goesOn = number("PATHMARK_FAIL_ON", 0) != 0;
        error = static_cast<int>(number("PATHMARK_FAIL_ERRNO", EIO));
        count = std::getenv("PATHMARK_FAIL_COUNT");
    }
};

const Plan& plan() {
    static const Plan once;
    return once;
}

std::atomic<long> calls{0};
thread_local bool isInside = false; ///< what the plan itself needs is not counted

/// Whether this call fails; errno is set.
bool fails(Call call) {
    if (isInside) {
        return false;
    }
    isInside = true;
    const Plan& p = plan();
    isInside = false;
    if (p.call != call) {
        return false;
    }
    const long number = ++calls;
    const bool isIt = p.at > 0 && (number == p.at || (p.goesOn && number > p.at));
    if (isIt) {
        errno = p.error;
    }
    return isIt;
}

bool isFile(int handle) {
    struct stat status {};

    return handle > 2 && ::fstat(handle, &status) == 0 && S_ISREG(status.st_mode);
}

struct AtTheEnd {
    ~AtTheEnd() {
        if (const char* path = plan().count) {
            isInside = true;
            if (FILE* file = std::fopen(path, "w")) {
                std::fprintf(file, "%ld\n", calls.load());
                std::fclose(file);
            }
        }
    }
};

const AtTheEnd atTheEnd;

} // namespace

extern "C" {

ssize_t write(int handle, const void* data, size_t size) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t)>("write");
    return isFile(handle) && fails(Write) ? -1 : real(handle, data, size);
}

ssize_t writev(int handle, const iovec* parts, int count) {
    static const auto real = next<ssize_t (*)(int, const iovec*, int)>("writev");
    return isFile(handle) && fails(Write) ? -1 : real(handle, parts, count);
}

ssize_t pwrite64(int handle, const void* data, size_t size, off64_t at) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t, off64_t)>("pwrite64");
    return isFile(handle) && fails(Write) ? -1 : real(handle, data, size, at);
}

ssize_t pwrite(int handle, const void* data, size_t size, off_t at) {
    return pwrite64(handle, data, size, at);
}

ssize_t
copy_file_range(int from, off64_t* fromAt, int to, off64_t* toAt, size_t size, unsigned flags) {
    static const auto real =
        next<ssize_t (*)(int, off64_t*, int, off64_t*, size_t, unsigned)>("copy_file_range");
    return fails(Write) ? -1 : real(from, fromAt, to, toAt, size, flags);
}

ssize_t sendfile64(int to, int from, off64_t* at, size_t size) {
    static const auto real = next<ssize_t (*)(int, int, off64_t*, size_t)>("sendfile64");
    return isFile(to) && fails(Write) ? -1 : real(to, from, at, size);
}

ssize_t sendfile(int to, int from, off_t* at, size_t size) {
    return sendfile64(to, from, at, size);
}

size_t fwrite(const void* data, size_t size, size_t count, FILE* file) {
    static const auto real = next<size_t (*)(const void*, size_t, size_t, FILE*)>("fwrite");
    return isFile(::fileno(file)) && fails(Write) ? 0 : real(data, size, count, file);
}

int fsync(int handle) {
    static const auto real = next<int (*)(int)>("fsync");
    return isFile(handle) && fails(Sync) ? -1 : real(handle);
}

int fdatasync(int handle) {
    static const auto real = next<int (*)(int)>("fdatasync");
    return isFile(handle) && fails(Sync) ? -1 : real(handle);
}

int ftruncate64(int handle, off64_t size) {
    static const auto real = next<int (*)(int, off64_t)>("ftruncate64");
    return isFile(handle) && fails(Sync) ? -1 : real(handle, size);
}

int ftruncate(int handle, off_t size) {
    return ftruncate64(handle, size);
}

int rename(const char* from, const char* to) noexcept {
    static const auto real = next<int (*)(const char*, const char*)>("rename");
    return fails(Rename) ? -1 : real(from, to);
}

int mkdir(const char* path, mode_t mode) noexcept {
    static const auto real = next<int (*)(const char*, mode_t)>("mkdir");
    return fails(Folder) ? -1 : real(path, mode);
}

int open64(const char* path, int flags, ...) {
    static const auto real = next<int (*)(const char*, int, ...)>("open64");
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    const bool isWritten = (flags & O_ACCMODE) != O_RDONLY;
    return isWritten && fails(Open) ? -1 : real(path, flags, mode);
}

int open(const char* path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    return open64(path, flags, mode);
}

FILE* fopen64(const char* path, const char* mode) {
    static const auto real = next<FILE* (*)(const char*, const char*)>("fopen64");
    const bool isWritten = std::strpbrk(mode, "wa+") != nullptr;
    return isWritten && fails(Open) ? nullptr : real(path, mode);
}

FILE* fopen(const char* path, const char* mode) {
    return fopen64(path, mode);
}

void* malloc(size_t size) {
    // dlsym itself allocates: what is asked for before the real one is known comes from the C library's own entry.
    extern void* __libc_malloc(size_t);
    if (size >= 65536 && fails(Memory)) {
        errno = ENOMEM;
        return nullptr;
    }
    return __libc_malloc(size);
}

int pthread_create(pthread_t* thread,
                   const pthread_attr_t* attributes,
                   void* (*start)(void*),
                   void* argument) noexcept {
    static const auto real =
        next<int (*)(pthread_t*, const pthread_attr_t*, void* (*)(void*), void*)>("pthread_create");
    return fails(Thread) ? EAGAIN : real(thread, attributes, start, argument);
}

} // extern "C"
