#include "core/batch/process.h"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <optional>
#include <thread>

extern char** environ;

namespace pathmark::batch {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::size_t kMostText = 64U << 20U;
constexpr std::chrono::seconds kGrace{5};

double secondsOf(const timeval& time) {
    return static_cast<double>(time.tv_sec) + 1e-6 * static_cast<double>(time.tv_usec);
}

/// What posix_spawn is told of files and signals.
class Actions {
  public:
    explicit Actions(const Command& command, int pipeEnd) {
        posix_spawn_file_actions_init(&files_);
        posix_spawnattr_init(&attributes_);
        posix_spawn_file_actions_addopen(&files_, 0, "/dev/null", O_RDONLY, 0);
        if (command.output.empty()) {
            posix_spawn_file_actions_adddup2(&files_, pipeEnd, 1);
        } else {
            posix_spawn_file_actions_addopen(
                &files_, 1, command.output.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
        }
        if (command.errors.empty()) {
            posix_spawn_file_actions_adddup2(&files_, 1, 2);
        } else {
            posix_spawn_file_actions_addopen(
                &files_, 2, command.errors.c_str(), O_WRONLY | O_CREAT | O_APPEND, 0644);
        }
        if (!command.folder.empty()) {
            posix_spawn_file_actions_addchdir_np(&files_, command.folder.c_str());
        }
        // Signals that a thread of ours waits for are not to be blocked in the other program.
        sigset_t none;
        sigemptyset(&none);
        posix_spawnattr_setsigmask(&attributes_, &none);
        posix_spawnattr_setpgroup(&attributes_, 0);
        posix_spawnattr_setflags(&attributes_, POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETPGROUP);
    }

    ~Actions() {
        posix_spawn_file_actions_destroy(&files_);
        posix_spawnattr_destroy(&attributes_);
    }

    Actions(const Actions&) = delete;
    Actions& operator=(const Actions&) = delete;

    [[nodiscard]] const posix_spawn_file_actions_t* files() const { return &files_; }

    [[nodiscard]] const posix_spawnattr_t* attributes() const { return &attributes_; }

  private:
    posix_spawn_file_actions_t files_{};
    posix_spawnattr_t attributes_{};
};

std::vector<char*> pointersTo(std::vector<std::string>& texts) {
    std::vector<char*> pointers;
    for (std::string& text : texts) {
        pointers.push_back(text.data());
    }
    pointers.push_back(nullptr);
    return pointers;
}

/// Takes what the program writes until it has ended.
class Watch {
  public:
    Watch(pid_t child, int pipeEnd, const std::stop_token& stop)
        : child_(child), pipe_(pipeEnd), stop_(stop) {}

    Ended untilItEnds() {
        const auto began = Clock::now();
        int status = 0;
        rusage used{};
        while (true) {
            takeText(20);
            const pid_t gone = ::wait4(child_, &status, WNOHANG, &used);
            if (gone == child_ || (gone < 0 && errno != EINTR)) {
                break;
            }
            endIt();
        }
        while (takeText(0)) {
        }
        ended_.status = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
        ended_.signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
        ended_.cost = {std::chrono::duration<double>(Clock::now() - began).count(),
                       secondsOf(used.ru_utime) + secondsOf(used.ru_stime),
                       static_cast<double>(used.ru_maxrss) / 1024.0};
        return std::move(ended_);
    }

  private:
    /// Waits for text so many milliseconds; true where some came.
    bool takeText(int milliseconds) {
        if (!isOpen_) {
            std::this_thread::sleep_for(std::chrono::milliseconds(milliseconds));
            return false;
        }
        pollfd waiting{pipe_, POLLIN, 0};
        if (::poll(&waiting, 1, milliseconds) <= 0) {
            return false;
        }
        std::array<char, 65536> block;
        const ssize_t count = ::read(pipe_, block.data(), block.size());
        if (count > 0 && ended_.text.size() < kMostText) {
            ended_.text.append(block.data(), static_cast<std::size_t>(count));
        }
        isOpen_ = count > 0 || (count < 0 && errno == EINTR);
        return count > 0;
    }

    void endIt() {
        if (!stop_.stop_requested()) {
            return;
        }
        const auto now = Clock::now();
        if (!asked_) {
            asked_ = now;
            ::kill(-child_, SIGTERM);
        } else if (now - *asked_ > kGrace) {
            ::kill(-child_, SIGKILL);
        }
    }

    pid_t child_;
    int pipe_;
    const std::stop_token& stop_;
    std::optional<Clock::time_point> asked_;
    bool isOpen_ = true;
    Ended ended_;
};

} // namespace

Result<Ended> runCommand(const Command& command, const std::stop_token& stop) {
    std::array<int, 2> ends{-1, -1};
    if (::pipe2(ends.data(), O_CLOEXEC) != 0) {
        return fail(ErrorId::BatchNoEngine,
                    std::string("No process can be started: ") + std::strerror(errno),
                    {});
    }
    const Actions actions(command, ends[1]);
    std::vector<std::string> words = command.words;
    pid_t child = 0;
    const int failed = ::posix_spawnp(&child,
                                      words.front().c_str(),
                                      actions.files(),
                                      actions.attributes(),
                                      pointersTo(words).data(),
                                      environ);
    ::close(ends[1]);
    if (failed != 0) {
        ::close(ends[0]);
        return fail(ErrorId::BatchNoEngine,
                    std::string("It cannot be started: ") + std::strerror(failed),
                    words.front());
    }
    Ended ended = Watch(child, ends[0], stop).untilItEnds();
    ::close(ends[0]);
    return ended;
}

} // namespace pathmark::batch
