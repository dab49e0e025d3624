#include "core/night/steps/unconfirmed.h"

#include "core/night/shared_light.h"
#include "core/night/unlike_others.h"

#include <algorithm>
#include <functional>
#include <map>
#include <set>

namespace pathmark::night {
namespace {

constexpr double kStackSnr = 5.0;
/// What a fit finds of the signal-to-noise that a source was found with: less is the light of something that is no point.
constexpr double kLeastShare = 0.6;
constexpr std::size_t kLeastFramesSeen = 3;

bool isConfirmed(const TrackRecord& track, const std::vector<MeasurementRecord>& measurements) {
    const BodyId body = BodyId::of(track.name);
    std::map<FrameId, double> found;
    double wanted = 0.0;
    for (const TrackRecord::Member& member : track.members) {
        found[member.frame] = member.snr;
        wanted += member.snr;
    }
    std::size_t onFrames = 0;
    double measured = 0.0;
    bool onStack = false;
    bool isMeasured = false;
    for (const MeasurementRecord& m : measurements) {
        if (m.body != body) {
            continue;
        }
        isMeasured = true;
        if (m.onStack) {
            onStack |= m.seen && m.snr >= kStackSnr;
        } else if (m.seen && found.contains(m.frame)) {
            ++onFrames;
            measured += m.snr;
        }
    }
    // One that is in no plan to be measured was not looked at.
    return !isMeasured || onStack ||
           (onFrames >= std::max(kLeastFramesSeen, (found.size() + 1) / 2) &&
            measured >= kLeastShare * wanted);
}

/// Arcsec per pixel of what a record was measured on; stacks have the scale of their series' frames.
std::function<double(const MeasurementRecord&)> scalesOf(const NightRun& run) {
    std::map<FrameId, double> scales;
    double any = 1.0;
    for (const LightRecord& light : run.lights) {
        if (light.solved()) {
            any = light.wcs->scaleArcsec();
            scales[light.frame] = any;
        }
    }
    return [scales, any](const MeasurementRecord& m) {
        const auto own = scales.find(m.frame);
        return own == scales.end() ? any : own->second;
    };
}

} // namespace

Result<bool> dropUnconfirmed(NightRun& run, std::vector<MeasurementRecord>& measurements) {
    const auto remembered = run.file().rememberedTracks();
    if (!remembered) {
        return fail(remembered.error());
    }
    const auto scaleOf = scalesOf(run);
    std::set<BodyId> dropped = parkSharedLight(measurements, scaleOf);
    parkInComae(measurements, scaleOf);
    parkUnlikeOthers(measurements);
    for (const TrackRecord& track : run.tracks) {
        const bool isDecided =
            std::any_of(remembered->begin(), remembered->end(), [&](const TrackRecord& old) {
                return old.name == track.name;
            });
        const BodyId body = BodyId::of(track.name);
        if (isDecided) {
            dropped.erase(body);
        } else if (!isConfirmed(track, measurements)) {
            dropped.insert(body);
        }
    }
    if (dropped.empty()) {
        return true;
    }
    std::erase_if(measurements, [&](const auto& m) { return dropped.contains(m.body); });
    std::erase_if(run.predictions, [&](const auto& p) { return dropped.contains(p.body); });
    std::erase_if(run.tracks, [&](const auto& t) { return dropped.contains(BodyId::of(t.name)); });
    if (auto stored = run.file().replaceTracks(run.tracks); !stored) {
        return stored;
    }
    return run.file().replacePredictions(run.predictions);
}

} // namespace pathmark::night
