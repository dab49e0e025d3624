#include "desk/session/snapshot_decisions.h"

#include "core/night/hand_measurements.h"
#include "core/night/steps/masters_step.h"

#include <algorithm>
#include <set>
#include <utility>
#include <variant>

namespace pathmark::desk {
namespace {

/// Shows anew what one decision is about, and notes what has to be done once for all of an act.
struct ShowAnew {
    NightSnapshot& snapshot;
    std::set<orbit::BodyId> judged{};
    bool matched = false;
    bool relaid = false; ///< the list of measurements is another

    void operator()(const night::LeaveOut& d) const {
        if (const int place = snapshot.placeOf(d.frame); place >= 0) {
            snapshot.excluded[static_cast<std::size_t>(place)] =
                snapshot.decided->leftOut.contains(d.frame);
        }
    }

    void operator()(const night::JudgeMeasurement& d) {
        for (std::size_t i = 0; i < snapshot.measurements.size(); ++i) {
            if (snapshot.measurements[i].id == d.measurement) {
                night::MeasurementRecord record = asMade(snapshot.measurements[i]);
                snapshot.decided->judge(record);
                judged.insert(record.body);
                snapshot.measurements.replace(i, std::move(record));
            }
        }
    }

    /// A measurement as the run made it, or as it was kept by hand.
    [[nodiscard]] night::MeasurementRecord asMade(const night::MeasurementRecord& shown) const {
        const auto made = std::find_if(snapshot.made.begin(),
                                       snapshot.made.end(),
                                       [&](const auto& m) { return m.id == shown.id; });
        if (made != snapshot.made.end()) {
            return *made;
        }
        const auto byHand = snapshot.decided->byHand.find(shown.id);
        if (byHand == snapshot.decided->byHand.end()) {
            return shown;
        }
        night::MeasurementRecord record = *byHand->second.record;
        record.picture = shown.picture;
        return record;
    }

    void operator()(const night::ChooseMaster&) { matched = true; }

    // Kinds are read with the frames; the rest is looked up in `decided`.
    void operator()(const night::SetKind&) const {}

    void operator()(const night::FitByHand&) const {}

    void operator()(const night::SwitchObservation&) const {}

    void operator()(const night::SetBackground&) const {}

    void operator()(const night::ProtectDisc&) const {}

    void operator()(const night::BracketStacks&) const {}

    void operator()(const night::AddOnMotion&) const {}

    void operator()(const night::SwitchStar&) const {}

    void operator()(const night::UseStarSet&) const {}

    void operator()(const night::SetLook&) const {}

    void operator()(const night::SetPictureMaking&) const {}

    void operator()(const night::SweepSeries&) const {}

    void operator()(const night::WaveThrough&) const {}

    void operator()(const night::CorrectLine&) const {}

    void operator()(const night::NameCandidate&) const {}

    void operator()(const night::KeepByHand&) { relaid = true; }
};

/// The measurements as made, and kept by hand, with the decisions laid over.
void layMeasurements(NightSnapshot& snapshot) {
    std::vector<night::MeasurementRecord> measurements = snapshot.made;
    night::layByHand(snapshot.decided, *snapshot.lights, measurements);
    snapshot.decided->judge(measurements);
    snapshot.measurements = std::move(measurements);
}

void countAnew(NightSnapshot& snapshot, const std::set<orbit::BodyId>& bodies) {
    for (BodyView& body : snapshot.bodies) {
        if (bodies.contains(body.id)) {
            body.measured = 0;
            body.kept = 0;
            for (const std::size_t i : snapshot.measuredOf(body.id)) {
                count(body, snapshot.measurements[i]);
            }
        }
    }
}

void showAnew(NightSnapshot& snapshot, const night::Act& act) {
    ShowAnew anew{snapshot};
    for (const night::Decision& decision : act.decisions) {
        std::visit(anew, decision);
    }
    if (anew.matched) {
        rematch(snapshot);
    }
    if (anew.relaid) {
        layMeasurements(snapshot);
        indexNight(snapshot);
    } else if (!anew.judged.empty()) {
        countAnew(snapshot, anew.judged);
    }
}

/// Where the latest act in force stands in the history, and the earliest undone one; the size where there is none.
std::size_t latestPlace(const NightSnapshot& snapshot) {
    for (std::size_t i = snapshot.history.size(); i > 0; --i) {
        if (snapshot.history[i - 1].inForce) {
            return i - 1;
        }
    }
    return snapshot.history.size();
}

std::size_t undonePlace(const NightSnapshot& snapshot) {
    std::size_t i = 0;
    while (i < snapshot.history.size() && snapshot.history[i].inForce) {
        ++i;
    }
    return i;
}

void decideAll(NightSnapshot& snapshot) {
    night::Decided decided;
    for (const night::PastAct& past : snapshot.history) {
        if (past.inForce) {
            decided.apply(past.act);
        }
    }
    snapshot.decided = std::move(decided);
}

std::optional<night::Act> turn(NightSnapshot& snapshot, std::size_t place, bool intoForce) {
    if (place >= snapshot.history.size()) {
        return std::nullopt;
    }
    night::PastAct past = snapshot.history[place];
    past.inForce = intoForce;
    night::Act act = past.act;
    snapshot.history.replace(place, std::move(past));
    decideAll(snapshot);
    showAnew(snapshot, act);
    return act;
}

} // namespace

void decide(NightSnapshot& snapshot, night::Act act, const std::string& at) {
    snapshot.history.resize(undonePlace(snapshot)); // what was undone can no longer be redone
    const int number =
        snapshot.history.empty() ? 1 : snapshot.history[snapshot.history.size() - 1].number + 1;
    snapshot.decided.edit().apply(act);
    showAnew(snapshot, act);
    snapshot.history.push_back({number, at, std::move(act), true});
}

std::optional<night::Act> undo(NightSnapshot& snapshot) {
    return turn(snapshot, latestPlace(snapshot), false);
}

std::optional<night::Act> redo(NightSnapshot& snapshot) {
    return turn(snapshot, undonePlace(snapshot), true);
}

const night::Act* latestInForce(const NightSnapshot& snapshot) {
    const std::size_t place = latestPlace(snapshot);
    return place < snapshot.history.size() ? &snapshot.history[place].act : nullptr;
}

const night::Act* earliestUndone(const NightSnapshot& snapshot) {
    const std::size_t place = undonePlace(snapshot);
    return place < snapshot.history.size() ? &snapshot.history[place].act : nullptr;
}

void applyAll(NightSnapshot& snapshot) {
    decideAll(snapshot);
    snapshot.excluded.clear();
    for (const auto& light : snapshot.lights) {
        snapshot.excluded.push_back(snapshot.decided->leftOut.contains(light.frame));
    }
    layMeasurements(snapshot);
    indexNight(snapshot);
}

void rematch(NightSnapshot& snapshot) {
    auto match = night::matchNight(snapshot.frames,
                                   snapshot.library,
                                   snapshot.decided->masters,
                                   snapshot.calibration.use,
                                   snapshot.seriesOf);
    snapshot.groups = std::move(match.groups);
    snapshot.matches = std::move(match.series);
    snapshot.odd = calibrate::findOddFrames(snapshot.frames);
}

void count(BodyView& body, const night::MeasurementRecord& m) {
    body.measured += m.seen ? 1 : 0;
    body.kept += m.seen && m.state == night::MeasurementState::Kept ? 1 : 0;
}

} // namespace pathmark::desk
