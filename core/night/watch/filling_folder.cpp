#include "core/night/watch/filling_folder.h"

#include "core/frame/folder_scan.h"
#include "core/frame/open_frame.h"

#include <poll.h>
#include <sys/inotify.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <string>
#include <utility>

namespace pathmark::night {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

/// What the file system tells of the folders (inotify). Where it tells nothing, as over a network, the looks find out.
class FillingFolder::Notices {
  public:
    explicit Notices(const std::vector<fs::path>& places)
        : handle_(::inotify_init1(IN_NONBLOCK | IN_CLOEXEC)) {
        for (const fs::path& place : places) {
            add(place);
        }
    }

    ~Notices() {
        if (handle_ >= 0) {
            ::close(handle_);
        }
    }

    Notices(const Notices&) = delete;
    Notices& operator=(const Notices&) = delete;

    /// Files that were closed after writing, or moved into place, since it was asked last.
    std::set<fs::path> takeClosed() {
        alignas(inotify_event) std::array<char, 16384> buffer{};
        while (handle_ >= 0) {
            const ssize_t got = ::read(handle_, buffer.data(), buffer.size());
            if (got <= 0) {
                break;
            }
            for (ssize_t at = 0; at < got;) {
                const auto* event = reinterpret_cast<const inotify_event*>(
                    buffer.data() + at); // as the kernel packs them
                at += static_cast<ssize_t>(sizeof(inotify_event) + event->len);
                note(*event);
            }
        }
        return std::exchange(closed_, {});
    }

    void wait(std::chrono::milliseconds time) const {
        pollfd waiting{handle_, POLLIN, 0};
        ::poll(&waiting, handle_ >= 0 ? 1 : 0, static_cast<int>(time.count()));
    }

  private:
    void add(const fs::path& folder) {
        const int id = ::inotify_add_watch(
            handle_, folder.c_str(), IN_CLOSE_WRITE | IN_MOVED_TO | IN_CREATE | IN_ONLYDIR);
        if (id < 0) {
            return;
        }
        folders_[id] = folder;
        std::error_code ignored;
        for (fs::directory_iterator entry(folder, ignored), end; !ignored && entry != end;
             entry.increment(ignored)) {
            std::error_code gone;
            if (entry->is_directory(gone) && !entry->is_symlink(gone)) {
                add(entry->path());
            }
        }
    }

    void note(const inotify_event& event) {
        const auto folder = folders_.find(event.wd);
        if (folder == folders_.end() || event.len == 0) {
            return;
        }
        const fs::path path = folder->second / event.name;
        if ((event.mask & IN_ISDIR) != 0) {
            add(path);
        } else if ((event.mask & (IN_CLOSE_WRITE | IN_MOVED_TO)) != 0) {
            closed_.insert(path);
        }
    }

    int handle_;
    std::map<int, fs::path> folders_;
    std::set<fs::path> closed_;
};

FillingFolder::FillingFolder(std::vector<fs::path> places, double settleSeconds)
    : places_(std::move(places)), settle_(settleSeconds),
      notices_(std::make_unique<Notices>(places_)) {}

FillingFolder::~FillingFolder() = default;

bool FillingFolder::isThere() const {
    return std::all_of(places_.begin(), places_.end(), [](const fs::path& place) {
        std::error_code status;
        return fs::exists(place, status);
    });
}

void FillingFolder::wait(std::chrono::milliseconds time) const {
    notices_->wait(time);
}

/// Whether a file that is not known to be whole is so now.
bool FillingFolder::settles(const fs::path& file, Seen& seen, const State& state) const {
    if (seen.state != state) {
        // What has lain there for long is whole at the first look.
        const std::chrono::duration<double> age = fs::file_time_type::clock::now() - state.changed;
        const bool isOld = seen.since == Clock::time_point() && age.count() >= settle_;
        seen.state = state;
        seen.since = Clock::now();
        seen.isTried = false;
        seen.isClosed = seen.isClosed || isOld;
    }
    const std::chrono::duration<double> rest = Clock::now() - seen.since;
    if (seen.isTried || !(seen.isClosed || rest.count() >= settle_)) {
        return false;
    }
    // A program may close a file and go on with it later: what is cut short is tried again when it has changed.
    seen.isTried = true;
    seen.isClosed = false;
    const auto source = frame::openFrame(file);
    return source.has_value() || source.error().id != ErrorId::FrameTruncated;
}

std::vector<fs::path> FillingFolder::whole() {
    for (const fs::path& path : notices_->takeClosed()) {
        Seen& seen = seen_[path];
        seen.isClosed = true;
        seen.isTried = false;
    }
    std::vector<fs::path> whole;
    for (const fs::path& file : frame::listFrames(places_).files) {
        std::error_code gone;
        const State state{fs::file_size(file, gone), fs::last_write_time(file, gone)};
        if (gone) {
            continue; // it went, or is being renamed
        }
        Seen& seen = seen_[file];
        seen.isWhole = (seen.isWhole && seen.state == state) || settles(file, seen, state);
        if (seen.isWhole) {
            whole.push_back(file);
        }
    }
    return whole;
}

} // namespace pathmark::night
