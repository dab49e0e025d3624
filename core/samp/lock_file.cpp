#include "core/samp/lock_file.h"

#include "core/base/atomic_file.h"
#include "core/base/text.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <fstream>

namespace pathmark::samp {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view kLockUrl = "std-lockurl:";
constexpr std::string_view kFileUrl = "file://";

/// Hubs are on the loopback; whatever else a file names is none of ours to talk to.
bool isLoopback(std::string_view url) {
    for (const std::string_view host :
         {"http://127.0.0.1:", "http://localhost:", "http://[::1]:"}) {
        if (url.starts_with(host)) {
            return true;
        }
    }
    return false;
}

Error noHub(const std::string& words, const fs::path& path) {
    return {ErrorId::SampNoHub, words, path.string()};
}

} // namespace

fs::path lockFile() {
    if (const char* named = std::getenv("SAMP_HUB"); named != nullptr) {
        std::string_view url = named;
        if (url.starts_with(kLockUrl)) {
            url.remove_prefix(kLockUrl.size());
            if (url.starts_with(kFileUrl)) {
                url.remove_prefix(kFileUrl.size());
                return url.substr(url.find('/') == url.npos ? 0 : url.find('/'));
            }
        }
    }
    const char* home = std::getenv("HOME");
    return fs::path(home == nullptr ? "." : home) / ".samp";
}

Result<HubAddress> readLockFile(const fs::path& path) {
    struct stat status {};

    if (::stat(path.c_str(), &status) != 0) {
        return fail(noHub("No hub tells its address here.", path));
    }
    if (status.st_uid != ::geteuid() || (status.st_mode & 077U) != 0) {
        return fail(noHub("Others may read the hub's word, so it is not used.", path));
    }
    std::ifstream stream(path);
    HubAddress hub;
    for (std::string line; std::getline(stream, line);) {
        const auto equals = line.find('=');
        if (line.starts_with('#') || equals == std::string::npos) {
            continue;
        }
        const std::string key(trim(std::string_view(line).substr(0, equals)));
        const std::string value(trim(std::string_view(line).substr(equals + 1)));
        if (key == "samp.hub.xmlrpc.url") {
            hub.url = value;
        } else if (key == "samp.secret") {
            hub.secret = value;
        }
    }
    if (hub.secret.empty() || !isLoopback(hub.url)) {
        return fail(noHub("It names no hub of this machine.", path));
    }
    return hub;
}

Result<bool> writeLockFile(const fs::path& path, const HubAddress& hub) {
    const std::string text =
        fmt::format("# SAMP lockfile, Standard Profile\nsamp.secret={}\n"
                    "samp.hub.xmlrpc.url={}\nsamp.profile.version=1.3\nhub.impl=Path Mark {}\n",
                    hub.secret,
                    hub.url,
                    PATHMARK_VERSION);
    // Written under a name of its own, private from its first byte; the link fails where another hub was quicker.
    const fs::path part = fmt::format("{}.{}", path.string(), ::getpid());
    const int handle = ::open(part.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    if (handle < 0) {
        return fail(writeError(errno, part));
    }
    const bool isWritten =
        ::write(handle, text.data(), text.size()) == static_cast<ssize_t>(text.size()) &&
        ::fsync(handle) == 0;
    const int writing = errno;
    ::close(handle);
    const bool isLinked = isWritten && ::link(part.c_str(), path.c_str()) == 0;
    const int linking = errno;
    ::unlink(part.c_str());
    if (!isWritten) {
        return fail(writeError(writing, path));
    }
    if (!isLinked) {
        return linking == EEXIST ? fail(noHub("Another hub is there.", path))
                                 : fail(writeError(linking, path));
    }
    return true;
}

} // namespace pathmark::samp
