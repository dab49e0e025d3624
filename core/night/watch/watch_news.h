#pragma once

#include "core/night/night_file.h"

#include <filesystem>
#include <functional>
#include <optional>
#include <set>
#include <string>

namespace pathmark::night {

/// What a watch tells.
struct WatchEvent {
    enum class Kind {
        Frame,   ///< a light was taken in
        Seen,    ///< a known body is seen for the first time
        Missing, ///< a known body within reach is not seen
        Mover,   ///< something moves that is no known body
        Folder,  ///< the folder is gone, or there again
        Problem, ///< a round came to nothing
    };

    Kind kind = Kind::Frame;
    std::string words;             ///< a sentence
    std::filesystem::path file;    ///< of a frame
    std::string name;              ///< of a body or a mover
    bool isGood = true;            ///< solved; there
    std::optional<SkyPos> sky;     ///< the frame's middle, or the mover's place
    std::optional<Utc> time;       ///< of the mover's place
    double rateArcsecPerMin = 0.0; ///< of a mover
    double positionAngleDegrees = 0.0;
};

/// Finds out what is new in a night since it was looked at last.
class WatchNews {
  public:
    explicit WatchNews(std::function<void(const WatchEvent&)> tell) : tell_(std::move(tell)) {}

    /// Frames and movers: known as soon as the lights are marked.
    ///
    /// Errors   those of reading a night file
    Result<bool> tellMarks(const std::filesystem::path& nightFile);

    /// Bodies too: known when they are measured.
    Result<bool> tellAll(const std::filesystem::path& nightFile);

  private:
    Result<bool> tellLights(const NightFile& night);
    Result<bool> tellBodies(const NightFile& night);
    Result<bool> tellMovers(const NightFile& night);
    void tellSeen(const std::string& body);

    std::function<void(const WatchEvent&)> tell_;
    std::set<std::string> lights_; ///< files
    std::set<std::string> seen_;   ///< bodies
    std::set<std::string> missing_;
    std::set<std::string> movers_;
};

} // namespace pathmark::night
