#include "desk/evidence/residual_plot.h"

#include <algorithm>
#include <utility>

namespace pathmark::desk {
namespace {

PlotSet setFor(night::MeasurementState state, int panel) {
    PlotSet set;
    set.name = night::name(state);
    set.panel = panel;
    switch (state) {
    case night::MeasurementState::Kept: set.role = PlotRole::Agreed; break;
    case night::MeasurementState::Parked:
        set.role = PlotRole::Quiet;
        set.mark = PlotMark::Lozenge;
        break;
    case night::MeasurementState::Dropped:
        set.role = PlotRole::Disagrees;
        set.mark = PlotMark::Cross;
        break;
    }
    return set;
}

} // namespace

ResidualPlot::ResidualPlot(QWidget* parent) : Plot(parent) {
    setObjectName("residuals");
    setLeastHeight(170);
    setAxes({tr("UTC"), true, false},
            {{tr("RA O−C ″"), false, true}, {tr("Dec O−C ″"), false, true}});
    setEmptyText(tr("Nothing measured yet"));
    setWords([this](int index) { return wordsOf(index); });
}

QString ResidualPlot::wordsOf(int index) const {
    const auto& m = measurements_[static_cast<std::size_t>(index)];
    return tr("%1 UTC: RA %2 ± %3″, Dec %4 ± %5″, %6")
        .arg(QString::fromStdString(toIso(m.time, 0)).mid(11, 8))
        .arg(m.observedMinusComputedRa, 0, 'f', 3)
        .arg(m.raErrorArcsec, 0, 'f', 3)
        .arg(m.observedMinusComputedDec, 0, 'f', 3)
        .arg(m.decErrorArcsec, 0, 'f', 3)
        .arg(night::name(m.state));
}

void ResidualPlot::setMeasurements(Measurements measurements) {
    // What is judged only changes its mark: what is seen stays.
    const bool isSame =
        std::equal(measurements.begin(),
                   measurements.end(),
                   measurements_.begin(),
                   measurements_.end(),
                   [](const auto& a, const auto& b) { return a.id == b.id && a.flux == b.flux; });
    measurements_ = std::move(measurements);
    std::vector<PlotSet> sets;
    for (const auto state : {night::MeasurementState::Kept,
                             night::MeasurementState::Parked,
                             night::MeasurementState::Dropped}) {
        for (const int panel : {0, 1}) {
            PlotSet set = setFor(state, panel);
            for (std::size_t i = 0; i < measurements_.size(); ++i) {
                const auto& m = measurements_[i];
                if (m.seen && m.state == state) {
                    set.points.push_back(
                        {plotTime(m.time),
                         panel == 0 ? m.observedMinusComputedRa : m.observedMinusComputedDec,
                         panel == 0 ? m.raErrorArcsec : m.decErrorArcsec,
                         static_cast<int>(i),
                         {}});
                }
            }
            sets.push_back(std::move(set));
        }
    }
    replaceSets(std::move(sets));
    if (!isSame) {
        showAll();
    }
}

} // namespace pathmark::desk
