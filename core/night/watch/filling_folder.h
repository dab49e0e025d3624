#pragma once

#include <chrono>
#include <filesystem>
#include <map>
#include <memory>
#include <set>
#include <vector>

namespace pathmark::night {

/// Frames of folders that fill. A frame counts once it is whole: closed after writing, or renamed into place, where the file system tells of
/// it; else when neither its size nor its time has changed for a while. In either case it must open as a frame whose file is not cut short.
class FillingFolder {
  public:
    FillingFolder(std::vector<std::filesystem::path> places, double settleSeconds);
    ~FillingFolder();
    FillingFolder(const FillingFolder&) = delete;
    FillingFolder& operator=(const FillingFolder&) = delete;

    /// Those that are whole now; what was whole once and is still there stays.
    std::vector<std::filesystem::path> whole();

    /// Whether all folders are there: not removed, not unmounted.
    [[nodiscard]] bool isThere() const;

    /// Waits until something changes in the folders, but not longer than that.
    void wait(std::chrono::milliseconds time) const;

  private:
    struct State {
        std::uintmax_t size = 0;
        std::filesystem::file_time_type changed;

        friend bool operator==(const State&, const State&) = default;
    };

    struct Seen {
        State state;
        std::chrono::steady_clock::time_point since;
        bool isClosed = false; ///< the file system said so
        bool isTried = false;  ///< in this state, and did not open
        bool isWhole = false;
    };

    class Notices;

    bool settles(const std::filesystem::path& file, Seen& seen, const State& state) const;

    std::vector<std::filesystem::path> places_;
    double settle_;
    std::unique_ptr<Notices> notices_;
    std::map<std::filesystem::path, Seen> seen_;
};

} // namespace pathmark::night
