#include "core/night/report_doubts.h"

#include "core/base/robust.h"
#include "core/orbit/place/sun_altitude.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

namespace pathmark::night {
namespace {

using Line = const MeasurementRecord*;
using Doubts = std::map<std::string, std::vector<std::string>>;

constexpr double kDarkDegrees = -6.0;
constexpr double kRestErrors = 5.0;
constexpr double kRestArcsec = 0.5;
constexpr double kOrbitFarArcsec = 1.0;
constexpr double kOrbitFarErrors = 3.0;
constexpr double kClockSeconds = 0.5;
constexpr double kAlikeChi = 4.0; ///< of bodies that tell of one clock
constexpr std::size_t kFewLines = 3;
constexpr double kSameArcsec = 1.0;
constexpr double kOrbitArcsec = 0.1; ///< that a good orbit may be off by
constexpr double kSlowest = 0.05;    ///< arcsec a minute: slower bodies tell nothing of a clock
constexpr std::string_view kBands = "UBVRIJHKugrizywGCWLo";

double errorOf(const MeasurementRecord& m) {
    return std::max({m.raErrorArcsec, m.decErrorArcsec, 0.02});
}

/// How a line lies against its orbit, once what all lines of its body share is taken off.
struct Rest {
    Line line;
    double ra = 0.0; ///< arcsec on the sky
    double dec = 0.0;

    [[nodiscard]] double length() const { return std::hypot(ra, dec); }

    [[nodiscard]] double errors() const { return length() / errorOf(*line); }
};

class Doubter {
  public:
    explicit Doubter(const DoubtedReport& report) : report_(report) {
        for (Line line : report.lines) {
            bodies_[line->body].push_back(line);
        }
        for (const auto& [body, lines] : bodies_) {
            addRests(lines);
        }
    }

    Doubts all() {
        doubtTimes();
        doubtBands();
        doubtCounts();
        doubtTwins();
        doubtFrames();
        doubtClock();
        return std::move(doubts_);
    }

  private:
    void doubt(Line line, std::string words) { doubts_[line->id].push_back(std::move(words)); }

    void addRests(const std::vector<Line>& lines);
    void doubtTimes();
    void doubtBands();
    void doubtCounts();
    void doubtTwins();
    void doubtFrames();
    void doubtClock();

    const DoubtedReport& report_;
    std::map<BodyId, std::vector<Line>> bodies_;
    std::vector<Rest> rests_; ///< of bodies with enough lines to tell
    Doubts doubts_;
};

/// Of a motion found in the frames the "orbit" is a line through the very lines.
void Doubter::addRests(const std::vector<Line>& lines) {
    if (lines.size() < kFewLines) {
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

void Doubter::doubtTimes() {
    if (report_.site == nullptr) {
        return;
    }
    for (Line line : report_.lines) {
        const double sun = orbit::sunAltitude(*report_.site, line->time).degrees();
        if (sun > kDarkDegrees) {
            doubt(line,
                  sun > 0.0 ? fmt::format("The Sun stood {:.0f}° high at its time.", sun)
                            : fmt::format("The Sun stood only {:.0f}° below the horizon at its "
                                          "time.",
                                          -sun));
        }
    }
}

void Doubter::doubtBands() {
    for (Line line : report_.lines) {
        if (line->magnitude && line->band.empty()) {
            doubt(line, "Its magnitude has no band.");
        } else if (line->magnitude && (line->band.size() != 1 ||
                                       kBands.find(line->band.front()) == std::string_view::npos)) {
            doubt(line, fmt::format("No report knows its band, {}.", line->band));
        }
    }
}

void Doubter::doubtCounts() {
    for (const auto& [body, lines] : bodies_) {
        if (lines.size() == 2) { // the only line of a body is told by itself
            for (Line line : lines) {
                doubt(line, "Its body has two lines: three or more make sure of it.");
            }
        }
    }
}

void Doubter::doubtTwins() {
    std::vector<Line> inTime(report_.lines.begin(), report_.lines.end());
    std::stable_sort(
        inTime.begin(), inTime.end(), [](Line a, Line b) { return a->time < b->time; });
    for (std::size_t i = 0; i < inTime.size(); ++i) {
        Line a = inTime[i];
        for (std::size_t k = i + 1; k < inTime.size(); ++k) {
            Line b = inTime[k];
            if (b->time.secondsSince(a->time) >= 0.5) {
                break;
            }
            if (a->body != b->body && separation(a->sky, b->sky).arcsec() < kSameArcsec) {
                doubt(a, fmt::format("{} has the same light.", b->body.text()));
                doubt(b, fmt::format("{} has the same light.", a->body.text()));
            }
        }
    }
}

/// One frame off carries all of its bodies; one line off is told alone, where its orbit does not tell of it anyway.
void Doubter::doubtFrames() {
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
                doubt(rest->line,
                      fmt::format("All bodies of its frame lie off, this one by {:.1f}\": its time "
                                  "or its solution is wrong.",
                                  rest->length()));
            } else if (isFar(*rest) && !isFarFromOrbit(*rest->line)) {
                doubt(rest->line,
                      fmt::format("It lies {:.1f}\" from where the body's other lines have it.",
                                  rest->length()));
            }
        }
    }
}

/// How early or late known bodies come along their motion, each weighed by what it can tell.
void Doubter::doubtClock() {
    struct Told {
        double seconds;
        double error;
    };

    std::vector<Told> told;
    for (const auto& [body, lines] : bodies_) {
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
            const double weight = std::pow(rate / errorOf(*line), 2);
            sum += weight * along / rate;
            weights += weight;
            fastest = std::max(fastest, rate);
        }
        if (weights > 0.0) {
            told.push_back(
                {sum / weights, std::hypot(1.0 / std::sqrt(weights), kOrbitArcsec / fastest)});
        }
    }
    if (told.size() < 2) {
        return; // one body off may be its orbit
    }
    double sum = 0.0;
    double weights = 0.0;
    for (const Told& body : told) {
        sum += body.seconds / (body.error * body.error);
        weights += 1.0 / (body.error * body.error);
    }
    const double seconds = sum / weights;
    double chi = 0.0;
    for (const Told& body : told) {
        chi += std::pow((body.seconds - seconds) / body.error, 2);
    }
    const bool isOneClock = chi / static_cast<double>(told.size() - 1) < kAlikeChi;
    if (!isOneClock || std::abs(seconds) < kClockSeconds ||
        std::abs(seconds) * std::sqrt(weights) < kRestErrors) {
        return;
    }
    for (Line line : report_.lines) {
        doubt(line,
              fmt::format("All bodies lie where they are {:.1f} s {}: check the clock.",
                          std::abs(seconds),
                          seconds > 0.0 ? "later" : "earlier"));
    }
}

} // namespace

bool isFarFromOrbit(const MeasurementRecord& m) {
    const double off = std::hypot(m.observedMinusComputedRa, m.observedMinusComputedDec);
    return !m.candidate && off > kOrbitFarArcsec && off > kOrbitFarErrors * errorOf(m);
}

Doubts reportDoubts(const DoubtedReport& report) {
    return Doubter(report).all();
}

} // namespace pathmark::night
