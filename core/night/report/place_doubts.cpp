#include "core/base/robust.h"
#include "core/night/report/report_doubts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <span>
#include <utility>

namespace pathmark::night {
namespace {

using Line = const MeasurementRecord*;

constexpr double kRestErrors = 5.0;
constexpr double kRestArcsec = 0.5;
constexpr double kOrbitFarArcsec = 1.0;
constexpr double kOrbitFarErrors =
    4.0; ///< three happen by chance in a long report of coarse pixels
constexpr double kClockSeconds = 0.5;
constexpr double kAlikeChi = 4.0;   ///< of bodies that tell of one clock
constexpr double kRatesApart = 1.5; ///< of two bodies that are not off alike by their orbits
constexpr std::size_t kTellingLines = 3;
constexpr double kOrbitArcsec = 0.1; ///< that a good orbit may be off by
constexpr double kSlowest = 0.05;    ///< arcsec a minute: slower bodies tell nothing of a clock

double errorOfLine(const MeasurementRecord& m) {
    return std::max({m.raErrorArcsec, m.decErrorArcsec, 0.02});
}

/// How a line lies against its orbit, once what all lines of its body share is taken off.
struct Rest {
    Line line;
    double ra = 0.0; ///< arcsec on the sky
    double dec = 0.0;

    [[nodiscard]] double length() const { return std::hypot(ra, dec); }

    [[nodiscard]] double errors() const { return length() / errorOfLine(*line); }
};

/// How late one body comes.
struct ToldOfClock {
    double seconds;
    double error;
    double rate; ///< arcsec/s
};

class PlaceDoubter {
  public:
    PlaceDoubter(const DoubtedReport& report, DoubtList& doubts)
        : report_(report), doubts_(doubts) {
        for (const DoubtedLine& line : report.lines) {
            bodies_[line.measured->body].push_back(line.measured);
        }
        for (const auto& [body, lines] : bodies_) {
            addRests(lines);
        }
    }

    void doubtFrames();
    void doubtClock();

  private:
    void addRests(const std::vector<Line>& lines);

    const DoubtedReport& report_;
    DoubtList& doubts_;
    std::map<BodyId, std::vector<Line>> bodies_;
    std::vector<Rest> rests_; ///< of bodies with enough lines to tell
};

/// Of a motion found in the frames the "orbit" is a line through the very lines.
void PlaceDoubter::addRests(const std::vector<Line>& lines) {
    if (lines.size() < kTellingLines) {
        return;
    }
    std::vector<double> ra;
    std::vector<double> dec;
    for (Line line : lines) {
        ra.push_back(line->observedMinusComputedRa);
        dec.push_back(line->observedMinusComputedDec);
    }
    const double middleRa = medianInPlace(std::span(ra));
    const double middleDec = medianInPlace(std::span(dec));
    for (Line line : lines) {
        rests_.push_back({line,
                          line->observedMinusComputedRa - middleRa,
                          line->observedMinusComputedDec - middleDec});
    }
}

/// One frame off carries all of its bodies; one line off is told alone, where its orbit does not tell of it anyway.
void PlaceDoubter::doubtFrames() {
    std::map<FrameId, std::vector<const Rest*>> frames;
    for (const Rest& rest : rests_) {
        if (!rest.line->onStack) {
            frames[rest.line->frame].push_back(&rest);
        }
    }
    const auto isFar = [](const Rest& rest) {
        return rest.length() > kRestArcsec && rest.errors() > kRestErrors;
    };
    for (const auto& [frame, rests] : frames) {
        const bool isTogether =
            rests.size() >= 2 &&
            std::all_of(rests.begin(), rests.end(), [&](const Rest* rest) { return isFar(*rest); });
        for (const Rest* rest : rests) {
            if (isTogether) {
                doubts_.add(
                    *rest->line,
                    DoubtKind::FrameOff,
                    fmt::format("All bodies of its frame lie off, this one by {:.1f}\": its time "
                                "or its solution is wrong.",
                                rest->length()));
            } else if (isFar(*rest) && !isFarFromOrbit(*rest->line)) {
                doubts_.add(
                    *rest->line,
                    DoubtKind::OffItsBody,
                    fmt::format("It lies {:.1f}\" from where the body's other lines have it.",
                                rest->length()));
            }
        }
    }
}

/// How late one known body comes along its motion, each line weighed by what it can tell.
std::optional<ToldOfClock> toldOfClock(const std::vector<Line>& lines) {
    double sum = 0.0;
    double weights = 0.0;
    double fastest = 0.0;
    for (Line line : lines) {
        if (line->candidate || line->rateArcsecPerMin < kSlowest) {
            continue;
        }
        const double angle = Angle::degrees(line->positionAngleDegrees).radians();
        const double along = line->observedMinusComputedRa * std::sin(angle) +
                             line->observedMinusComputedDec * std::cos(angle);
        const double rate = line->rateArcsecPerMin / 60.0;
        const double weight = std::pow(rate / errorOfLine(*line), 2);
        sum += weight * along / rate;
        weights += weight;
        fastest = std::max(fastest, rate);
    }
    if (weights <= 0.0) {
        return std::nullopt;
    }
    return ToldOfClock{
        sum / weights, std::hypot(1.0 / std::sqrt(weights), kOrbitArcsec / fastest), fastest};
}

/// Orbits of two bodies of like motion may be out alike: then it takes a third to tell of a clock.
bool canTellOfClock(const std::vector<ToldOfClock>& told) {
    if (told.size() != 2) {
        return told.size() > 2;
    }
    const auto [slow, fast] = std::minmax(told[0].rate, told[1].rate);
    return fast > kRatesApart * slow;
}

/// How early or late known bodies come together, all being seen by one clock.
void PlaceDoubter::doubtClock() {
    std::vector<ToldOfClock> told;
    for (const auto& [body, lines] : bodies_) {
        if (const auto one = toldOfClock(lines)) {
            told.push_back(*one);
        }
    }
    if (!canTellOfClock(told)) {
        return;
    }
    double sum = 0.0;
    double weights = 0.0;
    for (const ToldOfClock& body : told) {
        sum += body.seconds / (body.error * body.error);
        weights += 1.0 / (body.error * body.error);
    }
    const double seconds = sum / weights;
    double chi = 0.0;
    for (const ToldOfClock& body : told) {
        chi += std::pow((body.seconds - seconds) / body.error, 2);
    }
    const bool isOneClock = chi / static_cast<double>(told.size() - 1) < kAlikeChi;
    if (!isOneClock || std::abs(seconds) < kClockSeconds ||
        std::abs(seconds) * std::sqrt(weights) < kRestErrors) {
        return;
    }
    for (const DoubtedLine& line : report_.lines) {
        doubts_.add(*line.measured,
                    DoubtKind::ClockOff,
                    fmt::format("All bodies lie where they are {:.1f} s {}: check the clock.",
                                std::abs(seconds),
                                seconds > 0.0 ? "later" : "earlier"));
    }
}

} // namespace

bool isFarFromOrbit(const MeasurementRecord& m) {
    const double off = std::hypot(m.observedMinusComputedRa, m.observedMinusComputedDec);
    return !m.candidate && off > kOrbitFarArcsec && off > kOrbitFarErrors * errorOfLine(m);
}

void doubtPlaces(const DoubtedReport& report, DoubtList& doubts) {
    PlaceDoubter doubter(report, doubts);
    doubter.doubtFrames();
    doubter.doubtClock();
}

} // namespace pathmark::night
