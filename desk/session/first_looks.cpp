#include "desk/session/first_looks.h"

#include "core/night/first_look.h"
#include "desk/session/night_snapshot.h"

#include <algorithm>
#include <map>
#include <optional>
#include <utility>

namespace pathmark::desk {
namespace {

/// So often what was seen is told: each time the views take the night anew.
constexpr qint64 kTellEveryMs = 400;

/// What one series is looked at with; made by the first job that needs it, since jobs are done one after another.
struct SeriesLook {
    std::optional<frame::FrameInfo> under;
    std::optional<night::FirstLook> look;
};

std::optional<frame::FrameInfo> underOf(const NightSnapshot& night, const night::SeriesId& series) {
    for (const auto& [group, match] : *night.matches) {
        if (night.groups[group].id == series) {
            return night::FirstLook::underOf(match, *night.groups);
        }
    }
    return std::nullopt;
}

bool isToBeLookedAt(const night::LightRecord& light) {
    return light.sources == 0 && light.fwhmPixels == 0.0 && light.withoutSources.empty();
}

} // namespace

FirstLooks::FirstLooks(JobRunner& runner, QObject* parent) : QObject(parent), lane_(runner, 1) {}

void FirstLooks::stop() {
    lane_.drop();
    found_.clear();
    left_ = 0;
}

void FirstLooks::forget() {
    stop();
    seen_.clear();
}

void FirstLooks::start(const NightSnapshot& night) {
    stop();
    std::map<night::SeriesId, std::shared_ptr<SeriesLook>> looks;
    for (const night::LightRecord& light : night.lights) {
        const frame::FrameInfo* info = night.infoOf(light);
        if (info == nullptr || !isToBeLookedAt(light)) {
            continue;
        }
        if (const auto known = seen_.find(light.raw); known != seen_.end()) {
            found_.push_back({light.raw, known->second});
            continue;
        }
        auto& series = looks[light.series];
        if (!series) {
            series = std::make_shared<SeriesLook>();
            series->under = underOf(night, light.series);
        }
        ++left_;
        lane_.start(
            [series, info = *info]() -> Result<night::SourcesPart> {
                if (!series->look) {
                    auto look = night::FirstLook::make(series->under);
                    // A dark that cannot be read is told when it is used; the lights are looked at without it.
                    series->look = look ? std::move(*look) : *night::FirstLook::make({});
                }
                return series->look->at(info);
            },
            [this, raw = light.raw](Result<night::SourcesPart> seen) {
                LookedAt looked{raw, {}};
                if (seen) {
                    looked.seen = std::move(*seen);
                } else {
                    looked.seen.withoutSources = seen.error().detail;
                }
                take(std::move(looked));
            });
    }
    sinceTold_.start();
    if (!found_.empty()) {
        emit looked(std::exchange(found_, {}));
    }
}

void FirstLooks::take(LookedAt light) {
    seen_[light.raw] = light.seen;
    found_.push_back(std::move(light));
    --left_;
    if (left_ == 0 || sinceTold_.elapsed() >= kTellEveryMs) {
        sinceTold_.restart();
        emit looked(std::exchange(found_, {}));
    }
}

} // namespace pathmark::desk
