#include "core/night/watch/watch_news.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace pathmark::night {
namespace {

constexpr double kSurelyLog10 = -3.0; ///< of false tracks, above which a mover is no news yet

} // namespace

void WatchNews::tellSeen(const std::string& body) {
    if (seen_.insert(body).second) {
        missing_.erase(body);
        WatchEvent event;
        event.kind = WatchEvent::Kind::Seen;
        event.name = body;
        event.words = body + ": seen";
        tell_(event);
    }
}

Result<bool> WatchNews::tellLights(const NightFile& night) {
    const auto lights = night.lights();
    if (!lights) {
        return fail(lights.error());
    }
    for (const LightRecord& light : *lights) {
        if (!lights_.insert(light.raw.string()).second) {
            continue;
        }
        WatchEvent event;
        event.file = light.raw;
        event.isGood = light.solved();
        event.words = light.raw.filename().string() +
                      (light.solved() ? ": solved" : ": not solved, " + light.problem);
        if (light.solved()) {
            event.sky = light.skyMiddle();
        }
        tell_(event);
    }
    return true;
}

Result<bool> WatchNews::tellMovers(const NightFile& night) {
    const auto tracks = night.tracks();
    if (!tracks) {
        return fail(tracks.error());
    }
    for (const TrackRecord& track : *tracks) {
        if (track.falseTracksLog10 > kSurelyLog10 || !movers_.insert(track.name).second) {
            continue;
        }
        WatchEvent event;
        event.kind = WatchEvent::Kind::Mover;
        event.name = track.name;
        event.words = fmt::format("{}: moves, and is no known body", track.name);
        event.sky = track.place;
        event.time = track.reference;
        event.rateArcsecPerMin = track.rateArcsecPerMin;
        event.positionAngleDegrees = track.positionAngleDegrees;
        tell_(event);
    }
    return true;
}

/// Bodies within reach: seen for the first time, or looked for and not there.
Result<bool> WatchNews::tellBodies(const NightFile& night) {
    const auto measurements = night.measurements();
    const auto tracks = night.tracks();
    if (!measurements || !tracks) {
        return fail(measurements ? tracks.error() : measurements.error());
    }
    std::map<std::string, bool> bodies;
    for (const MeasurementRecord& m : *measurements) {
        const bool isTrack = std::any_of(tracks->begin(), tracks->end(), [&](const auto& track) {
            return track.name == m.body.text();
        });
        if (!isTrack) { // those are news of their own
            bool& isSeen = bodies[m.body.text()];
            isSeen = isSeen || m.seen;
        }
    }
    for (const auto& [body, isSeen] : bodies) {
        if (isSeen) {
            tellSeen(body);
        } else if (!seen_.contains(body) && missing_.insert(body).second) {
            WatchEvent event;
            event.kind = WatchEvent::Kind::Missing;
            event.name = body;
            event.isGood = false;
            event.words = body + ": within reach, and not seen";
            tell_(event);
        }
    }
    return true;
}

Result<bool> WatchNews::tellMarks(const std::filesystem::path& nightFile) {
    const auto night = NightFile::open(nightFile);
    if (!night) {
        return fail(night.error());
    }
    const auto predictions = night->predictions();
    if (!predictions) {
        return fail(predictions.error());
    }
    if (auto told = tellLights(*night); !told) {
        return told;
    }
    for (const PredictionRecord& p : *predictions) {
        if (!p.candidate && p.isSurelyMatched()) {
            tellSeen(p.body.text());
        }
    }
    return tellMovers(*night);
}

Result<bool> WatchNews::tellAll(const std::filesystem::path& nightFile) {
    const auto night = NightFile::open(nightFile);
    if (!night) {
        return fail(night.error());
    }
    for (const auto told :
         {&WatchNews::tellLights, &WatchNews::tellBodies, &WatchNews::tellMovers}) {
        if (auto done = (this->*told)(*night); !done) {
            return done;
        }
    }
    return true;
}

} // namespace pathmark::night
