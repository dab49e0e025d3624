#include "core/night/hand_measurements.h"

#include "core/orbit/formats/designation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

constexpr const char* kPrefix = "hand-";

/// Whether a name is one that bodies are given by all: else it is the observer's own.
bool isDesignation(const BodyId& body) {
    const std::string& text = body.text();
    return orbit::packDesignation(text).has_value() || text.find('/') != std::string::npos ||
           (!text.empty() && text.back() == 'P' && text.size() <= 5);
}

void judgeKept(const ReviewRules& rules, MeasurementRecord& m) {
    if (m.seen && m.reason.empty()) {
        m.reason = rules.doubtOfSnr(m.snr);
    }
    m.state = m.seen && m.reason.empty() ? MeasurementState::Kept : MeasurementState::Parked;
}

} // namespace

std::string handId(const BodyId& body, const FrameId& frame) {
    return kPrefix + measurementId(body, {frame});
}

bool isByHand(const MeasurementRecord& measurement) {
    return measurement.id.starts_with(kPrefix);
}

KeepByHand keptUnder(const std::string& name,
                     const MeasuredHere& here,
                     const HandAim& aim,
                     const PredictionRecord* predicted,
                     const ReviewRules& rules) {
    KeepByHand kept;
    MeasurementRecord m = here.record;
    m.body = BodyId::of(name);
    m.id = handId(m.body, m.frame);
    m.candidate = predicted == nullptr ? !isDesignation(m.body) : predicted->candidate;
    m.picture.clear(); // where it lies is the light's to know
    if (predicted != nullptr) {
        const PlanePos off = toTangentPlane(predicted->sky, m.sky);
        m.predicted = predicted->sky;
        m.predictedSnr = predicted->snr.value_or(0.0);
        m.observedMinusComputedRa = Angle::radians(off.xi).arcsec();
        m.observedMinusComputedDec = Angle::radians(off.eta).arcsec();
    }
    judgeKept(rules, m);
    kept.measurement = m.id;
    kept.model = aim.model;
    kept.record = std::move(m);
    return kept;
}

Result<MeasurementRecord> measuredAgain(const KeepByHand& kept,
                                        const LightRecord& light,
                                        const catalog::StarStore* store,
                                        const ReviewRules& rules) {
    const MeasurementRecord& before = *kept.record;
    const HandAim aim{before.sky, kept.model, before.rateArcsecPerMin, before.positionAngleDegrees};
    auto here = measureHere(light, aim, store);
    if (!here) {
        return fail(here.error());
    }
    MeasurementRecord m = std::move(here->record);
    m.id = before.id;
    m.body = before.body;
    m.candidate = before.candidate;
    m.predicted = before.predicted;
    m.predictedSnr = before.predictedSnr;
    const PlanePos moved = toTangentPlane(before.sky, m.sky);
    m.observedMinusComputedRa = before.observedMinusComputedRa + Angle::radians(moved.xi).arcsec();
    m.observedMinusComputedDec =
        before.observedMinusComputedDec + Angle::radians(moved.eta).arcsec();
    judgeKept(rules, m);
    return m;
}

void layByHand(const Decided& decided,
               std::span<const LightRecord> lights,
               std::vector<MeasurementRecord>& measurements) {
    if (decided.byHand.empty() &&
        std::none_of(measurements.begin(), measurements.end(), isByHand)) {
        return; // in whatever order they are
    }
    std::erase_if(measurements, [&](const MeasurementRecord& m) {
        return isByHand(m) && !decided.byHand.contains(m.id);
    });
    std::set<std::string> there;
    for (const MeasurementRecord& m : measurements) {
        if (isByHand(m)) {
            there.insert(m.id);
        }
    }
    for (const auto& [id, kept] : decided.byHand) {
        const auto light =
            std::find_if(lights.begin(), lights.end(), [&, &kept = kept](const auto& l) {
                return l.frame == kept.record->frame;
            });
        if (there.contains(id) || light == lights.end()) {
            continue;
        }
        measurements.push_back(*kept.record);
        measurements.back().picture = light->calibrated;
    }
    for (MeasurementRecord& m : measurements) {
        if (!isByHand(m) && !m.onStack && decided.byHand.contains(handId(m.body, m.frame))) {
            m.state = MeasurementState::Dropped;
            m.reason = "measured by hand instead";
        }
    }
    std::stable_sort(measurements.begin(), measurements.end(), comesBefore);
}

std::optional<SkyPos> carriedTo(std::span<const MeasurementRecord> kept, const Utc& time) {
    std::vector<const MeasurementRecord*> near;
    for (const MeasurementRecord& m : kept) {
        if (isByHand(m) && m.seen && m.state != MeasurementState::Dropped) {
            near.push_back(&m);
        }
    }
    if (near.empty()) {
        return std::nullopt;
    }
    std::sort(near.begin(), near.end(), [&](const auto* a, const auto* b) {
        return std::abs(a->time.secondsSince(time)) < std::abs(b->time.secondsSince(time));
    });
    const MeasurementRecord& first = *near.front();
    if (near.size() < 2) {
        return first.sky;
    }
    const MeasurementRecord& second = *near[1];
    const double span = second.time.secondsSince(first.time);
    if (std::abs(span) < 1.0) {
        return first.sky;
    }
    const double share = time.secondsSince(first.time) / span;
    const PlanePos way = toTangentPlane(first.sky, second.sky);
    return fromTangentPlane(first.sky, {share * way.xi, share * way.eta});
}

} // namespace pathmark::night
