#include "core/night/recipe.h"
#include "core/night/report/report_doubts.h"
#include "core/night/report/reported_night.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <string_view>

namespace pathmark::night {
namespace {

constexpr double kTwinArcsec = 1.0;
constexpr double kTwinSeconds = 0.5;
constexpr double kOneNight = 0.75 * kSecondsPerDay;
constexpr double kEllipseSigmas = 3.0;
constexpr double kPlaceMargin = 2.0;    ///< arcsec beside what the known body's orbit allows
constexpr double kAlikeShare = 0.3;     ///< of the motion
constexpr double kAlikeRate = 0.05;     ///< arcsec a minute
constexpr double kNearInTime = 300.0;   ///< seconds: a motion carries so far
constexpr std::size_t kLongestName = 7; ///< that 80 columns hold

using Lines = std::vector<DoubtedLine>;

void doubtCount(const Lines& lines, DoubtList& doubts) {
    if (lines.size() == 1) {
        doubts.add(
            *lines.front().measured, DoubtKind::OnlyLine, "It is the only line of its body.");
    } else if (lines.size() == 2) {
        for (const DoubtedLine& line : lines) {
            doubts.add(*line.measured,
                       DoubtKind::FewLines,
                       "Its body has two lines: three or more make sure of it.");
        }
    }
}

/// Whether a name is one that an observer gives: no designation, no number, and held by every report form.
bool isOwnName(std::string_view name) {
    const auto isLetterOrDigit = [](char c) {
        return (c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z');
    };
    return !name.empty() && name.size() <= kLongestName &&
           std::all_of(name.begin(), name.end(), isLetterOrDigit) &&
           std::any_of(name.begin(), name.end(), [](char c) { return c > '9'; });
}

/// How far a known body is from being the light of a line; nullopt: it is not.
std::optional<double> awayFrom(const MeasurementRecord& m, const PredictionRecord& p) {
    const double seconds = m.time.secondsSince(p.time);
    if (p.candidate || std::abs(seconds) > kNearInTime) {
        return std::nullopt;
    }
    const Angle angle = Angle::degrees(p.positionAngleDegrees);
    const SkyPos there = movedAlong(p.sky, p.rateArcsecPerMin, angle, seconds);
    const double turn = Angle::degrees(m.positionAngleDegrees).radians() - angle.radians();
    const double apart = std::sqrt(
        std::max(0.0,
                 m.rateArcsecPerMin * m.rateArcsecPerMin + p.rateArcsecPerMin * p.rateArcsecPerMin -
                     2.0 * m.rateArcsecPerMin * p.rateArcsecPerMin * std::cos(turn)));
    const PlanePos off = toTangentPlane(there, m.sky);
    const double sigma = Angle::degrees(p.sigmaAngleDegrees).radians();
    const auto arcsec = [](double radians) { return Angle::radians(radians).arcsec(); };
    const double along = arcsec(off.xi * std::sin(sigma) + off.eta * std::cos(sigma));
    const double across = arcsec(off.xi * std::cos(sigma) - off.eta * std::sin(sigma));
    const bool isThere =
        std::hypot(along / (kEllipseSigmas * p.sigmaMajorArcsec + kPlaceMargin),
                   across / (kEllipseSigmas * p.sigmaMinorArcsec + kPlaceMargin)) < 1.0;
    const bool movesAlike = apart < kAlikeShare * m.rateArcsecPerMin + kAlikeRate;
    return isThere && movesAlike ? std::optional(std::hypot(along, across)) : std::nullopt;
}

class NewBodies {
  public:
    NewBodies(const DoubtedReport& report, DoubtList& doubts) : report_(report), doubts_(doubts) {}

    void doubtName(const Lines& lines) {
        const std::string& name = lines.front().said->body;
        if (!isOwnName(name)) {
            addAll(lines,
                   DoubtKind::OwnName,
                   fmt::format("It is new, and '{}' is no name of your own for it: up to 7 letters "
                               "and digits.",
                               name));
        }
    }

    void doubtNights(const Lines& lines) {
        const auto [first, last] = std::minmax_element(
            lines.begin(), lines.end(), [](const DoubtedLine& a, const DoubtedLine& b) {
                return a.measured->time < b.measured->time;
            });
        if (last->measured->time.secondsSince(first->measured->time) < kOneNight) {
            addAll(lines,
                   DoubtKind::OneNight,
                   "It is new and seen on one night only: slow ones are kept for a second night.");
        }
    }

    void doubtKnown(const Lines& lines) {
        if (const std::string words = knownAs(lines); !words.empty()) {
            addAll(lines, DoubtKind::KnownBody, words);
        }
    }

  private:
    void addAll(const Lines& lines, DoubtKind kind, const std::string& words) {
        for (const DoubtedLine& line : lines) {
            doubts_.add(*line.measured, kind, words);
        }
    }

    /// By where known bodies may be at the time of its lines, and by what linking its frames said.
    [[nodiscard]] std::string knownAs(const Lines& lines) const {
        for (const DoubtedLine& line : lines) {
            for (const PredictionRecord& p : report_.night.predictions) {
                if (const auto away = awayFrom(*line.measured, p)) {
                    return fmt::format(
                        "It may be {}, {:.1f}\" from where that is predicted.", p.title, *away);
                }
            }
        }
        for (const TrackRecord& track : report_.night.tracks) {
            if (BodyId::of(track.name) == lines.front().measured->body &&
                !track.resembles.empty()) {
                return fmt::format("It may be {}, which moves alike {:.0f}\" away.",
                                   track.resembles,
                                   track.resemblesArcsec);
            }
        }
        return {};
    }

    const DoubtedReport& report_;
    DoubtList& doubts_;
};

void doubtTwins(const DoubtedReport& report, DoubtList& doubts) {
    std::vector<const MeasurementRecord*> inTime;
    for (const DoubtedLine& line : report.lines) {
        inTime.push_back(line.measured);
    }
    std::stable_sort(inTime.begin(), inTime.end(), [](const auto* a, const auto* b) {
        return a->time < b->time;
    });
    for (std::size_t i = 0; i < inTime.size(); ++i) {
        const MeasurementRecord& a = *inTime[i];
        for (std::size_t k = i + 1; k < inTime.size(); ++k) {
            const MeasurementRecord& b = *inTime[k];
            if (b.time.secondsSince(a.time) >= kTwinSeconds) {
                break;
            }
            if (a.body != b.body && separation(a.sky, b.sky).arcsec() < kTwinArcsec) {
                for (const auto& [one, other] : {std::pair{&a, &b}, std::pair{&b, &a}}) {
                    doubts.add(*one,
                               DoubtKind::SharedLight,
                               fmt::format("{} has the same light.", other->body.text()));
                }
            }
        }
    }
}

} // namespace

void doubtBodies(const DoubtedReport& report, DoubtList& doubts) {
    std::map<BodyId, Lines> bodies;
    for (const DoubtedLine& line : report.lines) {
        bodies[line.measured->body].push_back(line);
    }
    NewBodies newOnes(report, doubts);
    for (const auto& [body, lines] : bodies) {
        doubtCount(lines, doubts);
        if (lines.front().measured->candidate) {
            newOnes.doubtName(lines);
            newOnes.doubtNights(lines);
            newOnes.doubtKnown(lines);
        }
    }
    doubtTwins(report, doubts);
}

} // namespace pathmark::night
