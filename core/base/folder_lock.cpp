#include "core/base/folder_lock.h"

#include "core/base/atomic_file.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <cerrno>

namespace pathmark {

Result<FolderLock> FolderLock::take(const std::filesystem::path& folder) {
    const auto path = folder / ".pathmark-lock";
    const int handle = ::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0644);
    if (handle < 0) {
        return fail(writeError(errno, path));
    }
    FolderLock lock(handle);
    if (::flock(handle, LOCK_EX | LOCK_NB) != 0) {
        return fail(ErrorId::NightInUse,
                    "Another run is writing to this folder; wait until it has ended, or give "
                    "another output folder.",
                    folder.string());
    }
    return lock;
}

FolderLock::~FolderLock() {
    if (handle_ >= 0) {
        ::close(handle_);
    }
}

} // namespace pathmark
