#include "core/base/copy_files.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>

namespace pathmark {

namespace fs = std::filesystem;

Result<std::string> copyFile(const fs::path& from, const fs::path& to) {
    const auto copied = writeWhole(to, [&](const fs::path& temporary) -> Result<bool> {
        std::error_code status;
        if (!fs::copy_file(from, temporary, fs::copy_options::overwrite_existing, status)) {
            return fail(writeError(status.value(), to));
        }
        return true;
    });
    return copied ? contentHash(to) : fail(copied.error());
}

Result<bool> copyFolder(const fs::path& from, const fs::path& to) {
    std::error_code status;
    if (auto made = makeFolder(to); !made) {
        return made;
    }
    for (auto at = fs::recursive_directory_iterator(from, status);
         !status && at != fs::recursive_directory_iterator();
         at.increment(status)) {
        const fs::path target = to / at->path().lexically_relative(from);
        if (at->is_directory()) {
            if (auto made = makeFolder(target); !made) {
                return made;
            }
        } else if (at->is_regular_file()) {
            if (auto copied = copyFile(at->path(), target); !copied) {
                return fail(copied.error());
            }
        }
    }
    return status ? Result<bool>(fail(writeError(status.value(), to))) : Result<bool>(true);
}

Result<bool> renameFolder(const fs::path& from, const fs::path& to) {
    if (std::rename(from.c_str(), to.c_str()) != 0) {
        return fail(writeError(errno, to));
    }
    syncFolder(to.parent_path());
    return true;
}

Result<bool> moveIntoPlace(const fs::path& from, const fs::path& to) {
    const int handle = ::open(from.c_str(), O_RDONLY | O_CLOEXEC);
    bool good = handle >= 0 && ::fsync(handle) == 0;
    int reason = good ? 0 : errno;
    if (handle >= 0) {
        ::close(handle);
    }
    if (good && std::rename(from.c_str(), to.c_str()) != 0) {
        good = false;
        reason = errno;
    }
    if (!good) {
        return fail(writeError(reason, to));
    }
    syncFolder(to.parent_path());
    return true;
}

} // namespace pathmark
