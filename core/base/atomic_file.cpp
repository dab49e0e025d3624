#include "core/base/atomic_file.h"

#include "core/base/copy_files.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <mutex>
#include <set>
#include <system_error>
#include <vector>

namespace pathmark {
namespace fs = std::filesystem;

Error writeError(int errnoValue, const fs::path& path) {
    if (errnoValue == ENOSPC || errnoValue == EDQUOT) {
        return {ErrorId::BaseDiskFull,
                "No space is left on this disk; free some and run again, finished work is kept.",
                path.string()};
    }
    if (errnoValue == ENAMETOOLONG) {
        return {ErrorId::BaseCannotWrite,
                "The name is longer than this file system allows; choose a shorter one.",
                path.string()};
    }
    return {ErrorId::BaseCannotWrite,
            fmt::format("Cannot be written ({}); choose a folder that you may write to.",
                        std::strerror(errnoValue)),
            path.string()};
}

namespace {

/// The temporary files of this process. One list for the process, as its files are.
struct Temporaries {
    std::mutex guard;
    std::set<fs::path> paths;
};

Temporaries& temporaries() {
    static Temporaries list;
    return list;
}

/// Keeps a temporary file in the list while it is being written.
class Listed {
  public:
    explicit Listed(const fs::path& path) : path_(path) {
        const std::scoped_lock lock(temporaries().guard);
        temporaries().paths.insert(path_);
    }

    ~Listed() {
        const std::scoped_lock lock(temporaries().guard);
        temporaries().paths.erase(path_);
    }

    Listed(const Listed&) = delete;
    Listed& operator=(const Listed&) = delete;

  private:
    fs::path path_;
};

} // namespace

void removeTemporaries() {
    const std::scoped_lock lock(temporaries().guard);
    for (const fs::path& path : temporaries().paths) {
        std::error_code ignored;
        fs::remove(path, ignored);
    }
}

Result<bool> writeWhole(const fs::path& path,
                        const std::function<Result<bool>(const fs::path&)>& write) {
    fs::path temporary = path;
    // The extension stays last: writers choose their format by it.
    temporary.replace_filename(
        fmt::format(".{}.{}.tmp{}", path.stem().string(), ::getpid(), path.extension().string()));
    const Listed listed(temporary);
    std::error_code ignored;
    fs::remove(temporary, ignored);
    auto written = write(temporary);
    if (!written) {
        fs::remove(temporary, ignored);
        Error error = written.error();
        if (error.subject == temporary.string()) {
            error.subject = path.string();
        }
        return fail(error);
    }
    if (auto moved = moveIntoPlace(temporary, path); !moved) {
        fs::remove(temporary, ignored);
        return moved;
    }
    return true;
}

void syncFolder(const fs::path& folder) {
    const fs::path named = folder.empty() ? fs::path(".") : folder;
    const int handle = ::open(named.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (handle >= 0) {
        ::fsync(handle);
        ::close(handle);
    }
}

Result<bool> writeWholeText(const fs::path& path, std::string_view text) {
    return writeWhole(path, [&](const fs::path& temporary) -> Result<bool> {
        const int handle =
            ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
        if (handle < 0) {
            return fail(writeError(errno, path));
        }
        std::size_t done = 0;
        while (done < text.size()) {
            const ssize_t count = ::write(handle, text.data() + done, text.size() - done);
            if (count < 0 && errno != EINTR) {
                const int reason = errno;
                ::close(handle);
                return fail(writeError(reason, path));
            }
            done += count > 0 ? static_cast<std::size_t>(count) : 0;
        }
        ::close(handle);
        return true;
    });
}

Result<bool> makeFolder(const fs::path& path) {
    std::error_code status;
    std::vector<fs::path> missing;
    for (fs::path at = path; !at.empty() && !fs::exists(at, status); at = at.parent_path()) {
        missing.push_back(at);
    }
    fs::create_directories(path, status);
    for (const fs::path& made : missing) {
        syncFolder(made.parent_path());
    }
    if (status || !fs::is_directory(path)) {
        return fail(writeError(status ? status.value() : ENOTDIR, path));
    }
    return true;
}

} // namespace pathmark
