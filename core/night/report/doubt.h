#pragma once

#include "core/night/records.h"

#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::night {

/// What may speak against a line of a report.
enum class DoubtKind {
    WeakSignal,
    UncertainPlace,
    FewStars,
    FarFromOrbit,
    OffItsBody,
    FrameOff,
    ClockOff,
    TimeUnsure,
    WholeSeconds,
    Daylight,
    Future,
    SameTime,
    Overlap,
    NoMagnitude,
    MagnitudeApart,
    MagnitudeFar,
    NoBand,
    StrangeBand,
    SharedLight,
    OnlyLine,
    FewLines,
    OneNight,
    KnownBody,
    OwnName,
    NoPackedForm,
    UnknownStation,
    StationElsewhere,
    MixedTelescopes,
    NoObserver,
    SentBefore,
};

/// The word that a kind is stored and asked for by: "clock_off".
const char* name(DoubtKind kind);
std::optional<DoubtKind> doubtKindNamed(std::string_view name);
std::span<const DoubtKind> allDoubtKinds();

/// How a line in doubt may be mended, besides leaving it out or waving it through.
enum class Mend {
    Band,        ///< say its band
    NoMagnitude, ///< report the place alone
    ClockError,  ///< say what its time may be off by
    OwnName,     ///< name the candidate otherwise
    Facts,       ///< say otherwise what the night rests on
    SendAgain,   ///< as a line that corrects the one before
};

std::span<const Mend> mendsOf(DoubtKind kind);

/// Something that speaks against a line.
struct Doubt {
    DoubtKind kind = DoubtKind::WeakSignal;
    std::string words;                 ///< a sentence
    std::optional<std::string> waived; ///< the observer's reason to send it all the same
    std::string about; ///< the one thing that it is about, where a reason is good for that alone

    /// What a reason is kept under, see WaveThrough.
    [[nodiscard]] std::string key() const;
};

/// Doubts of the lines of a report, by MeasurementRecord::id.
class DoubtList {
  public:
    void add(const MeasurementRecord& line, DoubtKind kind, std::string words) {
        lines_[line.id].push_back({kind, std::move(words), {}, {}});
    }

    [[nodiscard]] const std::map<std::string, std::vector<Doubt>>& lines() const { return lines_; }

    /// Those of one line; it has none afterwards.
    std::vector<Doubt> take(const std::string& line) { return std::move(lines_[line]); }

  private:
    std::map<std::string, std::vector<Doubt>> lines_;
};

} // namespace pathmark::night
