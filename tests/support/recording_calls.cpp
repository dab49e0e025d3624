// Preloaded into the program under test: writes down, in the order in which they happen, what it does to files. The program itself knows nothing
// of it.
//   PATHMARK_RECORD        the record, appended to
//   PATHMARK_RECORD_UNDER  the folder whose files count
// What is mapped into memory is not seen: nothing that must last is written so.
#include "tests/support/next_symbol.h"
#include "tests/support/recorded_call.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

#include <climits>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <mutex>

namespace {

using pathmark::test_support::CallKind;
using pathmark::test_support::next;
using pathmark::test_support::RecordedCall;

thread_local bool isInside = false; ///< what is done for the record is not in it

struct Record {
    std::string under;
    int handle = -1;
    std::recursive_mutex order; ///< held over a call and its record

    Record() {
        const char* file = std::getenv("PATHMARK_RECORD");
        const char* folder = std::getenv("PATHMARK_RECORD_UNDER");
        if (file != nullptr && folder != nullptr) {
            under = folder;
            static const auto open = next<int (*)(const char*, int, ...)>("open64");
            handle = open(file, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0644);
        }
    }

    [[nodiscard]] bool has(const std::string& path) const {
        return handle >= 0 && (path == under || path.rfind(under + "/", 0) == 0);
    }

    void add(const RecordedCall& call) const {
        static const auto write = next<ssize_t (*)(int, const void*, size_t)>("write");
        const std::string bytes = toBytes(call);
        for (std::size_t done = 0; done < bytes.size();) {
            const ssize_t count = write(handle, bytes.data() + done, bytes.size() - done);
            if (count <= 0) {
                std::abort(); // a record with a hole would prove nothing
            }
            done += static_cast<std::size_t>(count);
        }
    }
};

Record& record() {
    static Record one;
    return one;
}

class Inside {
  public:
    Inside() : lock_(record().order), before_(isInside) { isInside = true; }

    ~Inside() { isInside = before_; }

    Inside(const Inside&) = delete;
    Inside& operator=(const Inside&) = delete;

    [[nodiscard]] bool isOwn() const { return before_; }

  private:
    std::scoped_lock<std::recursive_mutex> lock_;
    bool before_;
};

std::string nameOf(int handle) {
    char name[PATH_MAX];
    char link[64];
    std::snprintf(link, sizeof link, "/proc/self/fd/%d", handle);
    const ssize_t size = ::readlink(link, name, sizeof name);
    return size > 0 ? std::string(name, static_cast<std::size_t>(size)) : std::string();
}

/// The whole name; the file itself need not be there.
std::string wholeName(int folder, const char* path) {
    if (path[0] == '/') {
        return path;
    }
    char here[PATH_MAX];
    const std::string base =
        folder == AT_FDCWD ? (::getcwd(here, sizeof here) != nullptr ? here : "") : nameOf(folder);
    return base + "/" + path;
}

bool isThere(const std::string& path) {
    struct stat status {};

    return ::lstat(path.c_str(), &status) == 0;
}

std::int64_t sizeOf(int handle) {
    struct stat status {};

    return ::fstat(handle, &status) == 0 ? static_cast<std::int64_t>(status.st_size) : 0;
}

/// What a call made of a file that it opened.
void addOpened(const std::string& path, bool wasThere, std::int64_t sizeBefore, bool isEmptied) {
    if (!wasThere && isThere(path)) {
        record().add({CallKind::Create, path, "", 0, ""});
    } else if (isEmptied && sizeBefore > 0) {
        record().add({CallKind::Resize, path, "", 0, ""});
    }
}

std::int64_t sizeOf(const std::string& path) {
    struct stat status {};

    return ::stat(path.c_str(), &status) == 0 ? static_cast<std::int64_t>(status.st_size) : 0;
}

int opened(int folder, const char* path, int flags, mode_t mode) {
    static const auto real = next<int (*)(int, const char*, int, ...)>("openat64");
    const Inside inside;
    const std::string name = wholeName(folder, path);
    if (inside.isOwn() || (flags & O_ACCMODE) == O_RDONLY || !record().has(name)) {
        return real(folder, path, flags, mode);
    }
    const bool wasThere = isThere(name);
    const std::int64_t size = sizeOf(name);
    const int handle = real(folder, path, flags, mode);
    if (handle >= 0) {
        addOpened(name, wasThere, size, (flags & O_TRUNC) != 0);
    }
    return handle;
}

/// A write that begins at `at`, or where the handle stands.
template <typename Write>
ssize_t written(int handle, std::int64_t at, const Write& write) {
    const Inside inside;
    const std::string name = inside.isOwn() ? std::string() : nameOf(handle);
    if (!record().has(name)) {
        return write();
    }
    if (at < 0) {
        const bool isAtEnd = (::fcntl(handle, F_GETFL) & O_APPEND) != 0;
        at = isAtEnd ? sizeOf(handle) : ::lseek(handle, 0, SEEK_CUR);
    }
    const ssize_t size = write();
    if (size > 0) {
        RecordedCall call{
            CallKind::Write, name, "", at, std::string(static_cast<std::size_t>(size), '\0')};
        const int reading = ::open(("/proc/self/fd/" + std::to_string(handle)).c_str(), O_RDONLY);
        if (reading < 0 || ::pread(reading, call.data.data(), call.data.size(), at) != size) {
            std::abort();
        }
        ::close(reading);
        record().add(call);
    }
    return size;
}

/// A call that changes names; those of interest are under the folder.
template <typename Call>
int named(CallKind kind, const std::string& path, const std::string& other, const Call& call) {
    const Inside inside;
    const int status = call();
    if (status == 0 && !inside.isOwn() &&
        (record().has(path) || (!other.empty() && record().has(other)))) {
        record().add({kind, path, other, 0, ""});
    }
    return status;
}

template <typename Call>
int changed(CallKind kind, int handle, std::int64_t size, const Call& call) {
    const Inside inside;
    const std::string name = inside.isOwn() ? std::string() : nameOf(handle);
    const int status = call();
    if (status == 0 && record().has(name)) {
        record().add({kind, name, "", size, ""});
    }
    return status;
}

} // namespace

extern "C" {

ssize_t write(int handle, const void* data, size_t size) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t)>("write");
    return written(handle, -1, [&] { return real(handle, data, size); });
}

ssize_t writev(int handle, const iovec* parts, int count) {
    static const auto real = next<ssize_t (*)(int, const iovec*, int)>("writev");
    return written(handle, -1, [&] { return real(handle, parts, count); });
}

ssize_t pwrite64(int handle, const void* data, size_t size, off64_t at) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t, off64_t)>("pwrite64");
    return written(handle, at, [&] { return real(handle, data, size, at); });
}

ssize_t pwrite(int handle, const void* data, size_t size, off_t at) {
    return pwrite64(handle, data, size, at);
}

ssize_t
copy_file_range(int from, off64_t* fromAt, int to, off64_t* toAt, size_t size, unsigned flags) {
    static const auto real =
        next<ssize_t (*)(int, off64_t*, int, off64_t*, size_t, unsigned)>("copy_file_range");
    return written(to, toAt != nullptr ? *toAt : -1, [&] {
        return real(from, fromAt, to, toAt, size, flags);
    });
}

ssize_t sendfile64(int to, int from, off64_t* at, size_t size) {
    static const auto real = next<ssize_t (*)(int, int, off64_t*, size_t)>("sendfile64");
    return written(to, -1, [&] { return real(to, from, at, size); });
}

ssize_t sendfile(int to, int from, off_t* at, size_t size) {
    return sendfile64(to, from, at, size);
}

size_t fwrite(const void* data, size_t size, size_t count, FILE* file) {
    static const auto real = next<size_t (*)(const void*, size_t, size_t, FILE*)>("fwrite");
    const Inside inside;
    const std::string name = inside.isOwn() ? std::string() : nameOf(::fileno(file));
    const std::int64_t at = record().has(name) ? ::ftello(file) : 0;
    const size_t done = real(data, size, count, file);
    if (record().has(name) && done > 0) {
        record().add({CallKind::Write,
                      name,
                      "",
                      at,
                      std::string(static_cast<const char*>(data), done * size)});
    }
    return done;
}

int fsync(int handle) {
    static const auto real = next<int (*)(int)>("fsync");
    return changed(CallKind::Sync, handle, 0, [&] { return real(handle); });
}

int fdatasync(int handle) {
    static const auto real = next<int (*)(int)>("fdatasync");
    return changed(CallKind::Sync, handle, 0, [&] { return real(handle); });
}

int ftruncate64(int handle, off64_t size) {
    static const auto real = next<int (*)(int, off64_t)>("ftruncate64");
    return changed(CallKind::Resize, handle, size, [&] { return real(handle, size); });
}

int ftruncate(int handle, off_t size) {
    return ftruncate64(handle, size);
}

int truncate64(const char* path, off64_t size) {
    static const auto real = next<int (*)(const char*, off64_t)>("truncate64");
    const Inside inside;
    const std::string name = wholeName(AT_FDCWD, path);
    const int status = real(path, size);
    if (status == 0 && !inside.isOwn() && record().has(name)) {
        record().add({CallKind::Resize, name, "", size, ""});
    }
    return status;
}

int truncate(const char* path, off_t size) {
    return truncate64(path, size);
}

int rename(const char* from, const char* to) noexcept {
    static const auto real = next<int (*)(const char*, const char*)>("rename");
    return named(CallKind::Rename, wholeName(AT_FDCWD, from), wholeName(AT_FDCWD, to), [&] {
        return real(from, to);
    });
}

int link(const char* from, const char* to) noexcept {
    static const auto real = next<int (*)(const char*, const char*)>("link");
    return named(CallKind::Link, wholeName(AT_FDCWD, from), wholeName(AT_FDCWD, to), [&] {
        return real(from, to);
    });
}

int unlinkat(int folder, const char* path, int flags) noexcept {
    static const auto real = next<int (*)(int, const char*, int)>("unlinkat");
    return named(
        CallKind::Remove, wholeName(folder, path), "", [&] { return real(folder, path, flags); });
}

int unlink(const char* path) noexcept {
    return unlinkat(AT_FDCWD, path, 0);
}

int rmdir(const char* path) noexcept {
    return unlinkat(AT_FDCWD, path, AT_REMOVEDIR);
}

int remove(const char* path) noexcept {
    static const auto real = next<int (*)(const char*)>("remove");
    return named(CallKind::Remove, wholeName(AT_FDCWD, path), "", [&] { return real(path); });
}

int mkdir(const char* path, mode_t mode) noexcept {
    static const auto real = next<int (*)(const char*, mode_t)>("mkdir");
    return named(CallKind::Folder, wholeName(AT_FDCWD, path), "", [&] { return real(path, mode); });
}

int openat64(int folder, const char* path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    return opened(folder, path, flags, mode);
}

int open64(const char* path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    return opened(AT_FDCWD, path, flags, mode);
}

int open(const char* path, int flags, ...) {
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = (flags & (O_CREAT | O_TMPFILE)) != 0 ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    return opened(AT_FDCWD, path, flags, mode);
}

FILE* fopen64(const char* path, const char* mode) {
    static const auto real = next<FILE* (*)(const char*, const char*)>("fopen64");
    const Inside inside;
    const std::string name = wholeName(AT_FDCWD, path);
    if (inside.isOwn() || std::strpbrk(mode, "wa+") == nullptr || !record().has(name)) {
        return real(path, mode);
    }
    const bool wasThere = isThere(name);
    const std::int64_t size = sizeOf(name);
    FILE* file = real(path, mode);
    if (file != nullptr) {
        addOpened(name, wasThere, size, std::strchr(mode, 'w') != nullptr);
    }
    return file;
}

FILE* fopen(const char* path, const char* mode) {
    return fopen64(path, mode);
}

} // extern "C"
