#include "desk/stack/path_plot.h"

#include "desk/shell/words.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace pathmark::desk {
namespace {

/// A motion's own axes: along it, and towards a position angle 90° larger.
struct Ways {
    double sine;
    double cosine;

    explicit Ways(double positionAngleDegrees)
        : sine(std::sin(positionAngleDegrees * kRadiansPerDegree)),
          cosine(std::cos(positionAngleDegrees * kRadiansPerDegree)) {}

    [[nodiscard]] double along(double east, double north) const {
        return sine * east + cosine * north;
    }

    [[nodiscard]] double across(double east, double north) const {
        return cosine * east - sine * north;
    }
};

enum Set : std::size_t { Kept, NotKept, Agreeing, NotFound, OnStacks, kSets };

struct Offset {
    Set set = NotFound;
    double east = 0.0;
    double north = 0.0;
    double eastError = 0.0;
    double northError = 0.0;
};

Offset offsetOf(const night::MeasurementRecord& m) {
    Offset offset;
    offset.set = m.onStack ? OnStacks : m.state == night::MeasurementState::Kept ? Kept : NotKept;
    offset.east = m.observedMinusComputedRa;
    offset.north = m.observedMinusComputedDec;
    offset.eastError = m.raErrorArcsec;
    offset.northError = m.decErrorArcsec;
    return offset;
}

QString wordsOf(const night::MeasurementRecord& m) {
    return QString("%1, S/N %2").arg(night::name(m.state)).arg(m.snr, 0, 'f', 1);
}

QString at(const Utc& time, const QString& words) {
    return QString::fromStdString(toIso(time, 0)).mid(11, 8) + " UTC: " + words;
}

void add(std::vector<PlotSet>& sets,
         const Offset& offset,
         const Utc& time,
         double positionAngleDegrees,
         int id,
         const QString& words) {
    const Ways ways(positionAngleDegrees);
    sets[offset.set].points.push_back(
        {plotTime(time),
         ways.along(offset.east, offset.north),
         std::hypot(ways.sine * offset.eastError, ways.cosine * offset.northError),
         id,
         words});
    sets[kSets + offset.set].points.push_back(
        {plotTime(time),
         ways.across(offset.east, offset.north),
         std::hypot(ways.cosine * offset.eastError, ways.sine * offset.northError),
         id,
         words});
}

} // namespace

std::vector<PlotSet> pathSets(std::span<const night::PredictionRecord> predictions,
                              const Measurements& measurements) {
    std::vector<PlotSet> sets;
    for (const int panel : {0, 1}) {
        sets.push_back({Words::tr("kept"), panel, PlotRole::Agreed, PlotMark::Level, false, {}});
        sets.push_back(
            {Words::tr("not kept"), panel, PlotRole::Disagrees, PlotMark::Cross, false, {}});
        sets.push_back({Words::tr("a source agrees"),
                        panel,
                        PlotRole::Predicted,
                        PlotMark::Lozenge,
                        false,
                        {}});
        sets.push_back(
            {Words::tr("nothing found"), panel, PlotRole::Quiet, PlotMark::Upright, false, {}});
        sets.push_back(
            {Words::tr("on stacks"), panel, PlotRole::Text, PlotMark::TwoLevels, false, {}});
    }
    std::map<night::FrameId, const night::MeasurementRecord*> measuredIn;
    for (const night::MeasurementRecord& m : measurements) {
        if (!m.onStack && m.seen) {
            measuredIn.emplace(m.frame, &m);
        }
    }
    for (std::size_t i = 0; i < predictions.size(); ++i) {
        const night::PredictionRecord& p = predictions[i];
        const auto measured = measuredIn.find(p.frame);
        Offset offset;
        if (measured != measuredIn.end()) {
            offset = offsetOf(*measured->second);
        } else if (p.match) {
            offset.set = Agreeing;
            offset.east = p.match->raArcsec;
            offset.north = p.match->decArcsec;
        }
        add(sets, offset, p.time, p.positionAngleDegrees, static_cast<int>(i), {});
    }
    for (const night::MeasurementRecord& m : measurements) {
        if (m.onStack && m.seen) {
            add(sets, offsetOf(m), m.time, m.positionAngleDegrees, -1, at(m.time, wordsOf(m)));
        }
    }
    return sets;
}

PathPlot::PathPlot(QWidget* parent) : Plot(parent) {
    setObjectName("pathPlot");
    setAccessibleName(tr("Way of the body in hand against its orbit"));
    setLeastHeight(180);
    setAxes({tr("UTC"), true}, {{tr("along, ″"), false, true}, {tr("across, ″"), false, true}});
    setEmptyText(tr("The body in hand is in no frame of this series"));
    setWords([this](int id) { return wordsOf(predictions_[static_cast<std::size_t>(id)]); });
}

void PathPlot::setPath(std::vector<night::PredictionRecord> predictions,
                       const Measurements& measurements) {
    predictions_ = std::move(predictions);
    measurements_ = measurements;
    setSets(pathSets(predictions_, measurements_));
}

QString PathPlot::wordsOf(const night::PredictionRecord& predicted) const {
    for (const night::MeasurementRecord& m : measurements_) {
        if (m.frame == predicted.frame && !m.onStack && m.seen) {
            return at(predicted.time, desk::wordsOf(m));
        }
    }
    return at(predicted.time,
              predicted.match ? tr("a source agrees that was not measured")
                              : tr("nothing found at the place foretold"));
}

const night::FrameId* PathPlot::frameOf(int point) const {
    return point >= 0 && static_cast<std::size_t>(point) < predictions_.size()
               ? &predictions_[static_cast<std::size_t>(point)].frame
               : nullptr;
}

void PathPlot::chooseFrame(const night::FrameId& frame) {
    const auto found = std::find_if(
        predictions_.begin(), predictions_.end(), [&](const auto& p) { return p.frame == frame; });
    setChosen(found == predictions_.end() ? -1 : static_cast<int>(found - predictions_.begin()));
}

} // namespace pathmark::desk
