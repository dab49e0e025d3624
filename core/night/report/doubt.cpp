#include "core/night/report/doubt.h"

#include "core/base/names.h"

#include <array>

namespace pathmark::night {
namespace {

constexpr Names<DoubtKind, 30> kDoubtNames{{{DoubtKind::WeakSignal, "weak_signal"},
                                            {DoubtKind::UncertainPlace, "uncertain_place"},
                                            {DoubtKind::FewStars, "few_stars"},
                                            {DoubtKind::FarFromOrbit, "far_from_orbit"},
                                            {DoubtKind::OffItsBody, "off_its_body"},
                                            {DoubtKind::FrameOff, "frame_off"},
                                            {DoubtKind::ClockOff, "clock_off"},
                                            {DoubtKind::TimeUnsure, "time_unsure"},
                                            {DoubtKind::WholeSeconds, "whole_seconds"},
                                            {DoubtKind::Daylight, "daylight"},
                                            {DoubtKind::Future, "future"},
                                            {DoubtKind::SameTime, "same_time"},
                                            {DoubtKind::Overlap, "overlap"},
                                            {DoubtKind::NoMagnitude, "no_magnitude"},
                                            {DoubtKind::MagnitudeApart, "magnitude_apart"},
                                            {DoubtKind::MagnitudeFar, "magnitude_far"},
                                            {DoubtKind::NoBand, "no_band"},
                                            {DoubtKind::StrangeBand, "strange_band"},
                                            {DoubtKind::SharedLight, "shared_light"},
                                            {DoubtKind::OnlyLine, "only_line"},
                                            {DoubtKind::FewLines, "few_lines"},
                                            {DoubtKind::OneNight, "one_night"},
                                            {DoubtKind::KnownBody, "known_body"},
                                            {DoubtKind::OwnName, "own_name"},
                                            {DoubtKind::NoPackedForm, "no_packed_form"},
                                            {DoubtKind::UnknownStation, "unknown_station"},
                                            {DoubtKind::StationElsewhere, "station_elsewhere"},
                                            {DoubtKind::MixedTelescopes, "mixed_telescopes"},
                                            {DoubtKind::NoObserver, "no_observer"},
                                            {DoubtKind::SentBefore, "sent_before"}}};

constexpr auto kDoubtKinds = [] {
    std::array<DoubtKind, kDoubtNames.size()> kinds{};
    for (std::size_t i = 0; i < kinds.size(); ++i) {
        kinds[i] = kDoubtNames[i].first;
    }
    return kinds;
}();

constexpr std::array kMendBand{Mend::Band, Mend::NoMagnitude};
constexpr std::array kMendMagnitude{Mend::NoMagnitude};
constexpr std::array kMendClock{Mend::ClockError, Mend::Facts};
constexpr std::array kMendTime{Mend::ClockError};
constexpr std::array kMendName{Mend::OwnName};
constexpr std::array kMendFacts{Mend::Facts};
constexpr std::array kMendSent{Mend::SendAgain};

} // namespace

const char* name(DoubtKind kind) {
    return nameIn(kDoubtNames, kind);
}

std::string Doubt::key() const {
    return about.empty() ? name(kind) : std::string(name(kind)) + " " + about;
}

std::optional<DoubtKind> doubtKindNamed(std::string_view name) {
    return valueNamed(kDoubtNames, name);
}

std::span<const DoubtKind> allDoubtKinds() {
    return kDoubtKinds;
}

std::span<const Mend> mendsOf(DoubtKind kind) {
    switch (kind) {
    case DoubtKind::NoBand:
    case DoubtKind::StrangeBand: return kMendBand;
    case DoubtKind::MagnitudeApart:
    case DoubtKind::MagnitudeFar: return kMendMagnitude;
    case DoubtKind::ClockOff: return kMendClock;
    case DoubtKind::TimeUnsure:
    case DoubtKind::WholeSeconds: return kMendTime;
    case DoubtKind::OwnName:
    case DoubtKind::NoPackedForm: return kMendName;
    case DoubtKind::UnknownStation:
    case DoubtKind::StationElsewhere:
    case DoubtKind::NoObserver: return kMendFacts;
    case DoubtKind::SentBefore: return kMendSent;
    default: return {};
    }
}

} // namespace pathmark::night
