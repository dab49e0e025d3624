#include "core/base/robust.h"
#include "core/night/recipe.h"
#include "core/night/report/report_doubts.h"
#include "core/night/report/reported_night.h"
#include "core/report/writers.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <string_view>

namespace pathmark::night {
namespace {

constexpr double kWeakSnr = 5.0;
constexpr double kMostErrorArcsec = 1.0;
constexpr double kApartErrors = 3.0;
constexpr double kApartMagnitudes = 1.0;
constexpr double kPredictedErrors = 5.0;
constexpr double kPredictedMagnitudes =
    2.0; ///< light curves and old absolute magnitudes account for less
constexpr double kNearPrediction = 1800.0; ///< seconds: a stack's time is no frame's
constexpr int kFewStarsBelow = 8;
constexpr std::string_view kBands = "UBVRIJHKugrizywGCWLo";

using Magnitudes = std::map<BodyId, std::vector<double>>;

/// The magnitude that a body was predicted with nearest in time to a line; nullopt: none.
class Predicted {
  public:
    explicit Predicted(const std::vector<PredictionRecord>& predictions) {
        for (const PredictionRecord& p : predictions) {
            if (!p.candidate && p.magnitude) {
                bodies_[p.body].push_back(&p);
            }
        }
    }

    [[nodiscard]] std::optional<double> of(const MeasurementRecord& m) const {
        const auto known = bodies_.find(m.body);
        if (known == bodies_.end()) {
            return std::nullopt;
        }
        const auto away = [&](const PredictionRecord* p) {
            return std::abs(p->time.secondsSince(m.time));
        };
        const auto nearest =
            *std::min_element(known->second.begin(),
                              known->second.end(),
                              [&](const auto* a, const auto* b) { return away(a) < away(b); });
        return away(nearest) < kNearPrediction + m.spanSeconds ? nearest->magnitude : std::nullopt;
    }

  private:
    std::map<BodyId, std::vector<const PredictionRecord*>> bodies_;
};

void doubtPlace(const MeasurementRecord& m, DoubtList& doubts) {
    if (m.snr < kWeakSnr) {
        doubts.add(m, DoubtKind::WeakSignal, fmt::format("S/N {:.1f}.", m.snr));
    }
    const double error = std::max(m.raErrorArcsec, m.decErrorArcsec);
    if (error > kMostErrorArcsec) {
        doubts.add(m,
                   DoubtKind::UncertainPlace,
                   fmt::format("The position is uncertain by {:.1f}\".", error));
    }
    if (isFarFromOrbit(m)) {
        doubts.add(m,
                   DoubtKind::FarFromOrbit,
                   fmt::format("It lies {:.1f}\" from its orbit.",
                               std::hypot(m.observedMinusComputedRa, m.observedMinusComputedDec)));
    }
    if (m.usedStars < kFewStarsBelow) {
        doubts.add(m,
                   DoubtKind::FewStars,
                   m.usedStars == 1 ? "Its position rests on 1 star."
                                    : fmt::format("Its position rests on {} stars.", m.usedStars));
    }
}

const char* fainterOrBrighter(double off) {
    return off > 0.0 ? "fainter" : "brighter";
}

void doubtMagnitude(const MeasurementRecord& m,
                    const report::Observation& said,
                    std::vector<double> magnitudes,
                    const std::optional<double>& predicted,
                    DoubtList& doubts) {
    if (!said.magnitude) {
        if (!m.magnitude) { // else the observer left it out
            doubts.add(m, DoubtKind::NoMagnitude, "It has no magnitude.");
        }
        return;
    }
    const double off = *said.magnitude - medianInPlace(magnitudes);
    if (std::abs(off) > kApartMagnitudes && std::abs(off) > kApartErrors * m.magnitudeError) {
        doubts.add(m,
                   DoubtKind::MagnitudeApart,
                   fmt::format("It is {:.1f} mag {} than the body's other lines.",
                               std::abs(off),
                               fainterOrBrighter(off)));
    }
    const double beyond = predicted ? *said.magnitude - *predicted : 0.0;
    // What a comet is predicted with is a rule of thumb.
    if (!m.coma && std::abs(beyond) > kPredictedMagnitudes &&
        std::abs(beyond) > kPredictedErrors * m.magnitudeError) {
        doubts.add(m,
                   DoubtKind::MagnitudeFar,
                   fmt::format("It is {:.1f} mag {} than its orbit's list has it.",
                               std::abs(beyond),
                               fainterOrBrighter(beyond)));
    }
    if (said.band.empty()) {
        doubts.add(m, DoubtKind::NoBand, "Its magnitude has no band.");
    } else if (said.band.size() != 1 || kBands.find(said.band.front()) == std::string_view::npos) {
        doubts.add(
            m, DoubtKind::StrangeBand, fmt::format("No report knows its band, {}.", said.band));
    }
}

} // namespace

void doubtLines(const DoubtedReport& report, DoubtList& doubts) {
    Magnitudes magnitudes;
    for (const DoubtedLine& line : report.lines) {
        if (line.said->magnitude) {
            magnitudes[line.measured->body].push_back(*line.said->magnitude);
        }
    }
    const Predicted predicted(report.night.predictions);
    for (const DoubtedLine& line : report.lines) {
        const MeasurementRecord& m = *line.measured;
        doubtPlace(m, doubts);
        doubtMagnitude(m, *line.said, magnitudes[m.body], predicted.of(m), doubts);
        if (!report.head.stationCode.empty() &&
            !report::eightyColumnLine(report.head, *line.said)) {
            doubts.add(m,
                       DoubtKind::NoPackedForm,
                       "Its designation has no packed form: 80 columns leave it out.");
        }
    }
}

} // namespace pathmark::night
