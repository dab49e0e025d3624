#include "desk/evidence/residual_plot.h"

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
    setMinimumHeight(170);
    setAxes({tr("UTC"), true, false},
            {{tr("RA O−C ″"), false, true}, {tr("Dec O−C ″"), false, true}});
    setEmptyText(tr("Nothing measured yet"));
}

void ResidualPlot::setMeasurements(const std::vector<night::MeasurementRecord>& measurements) {
    std::vector<PlotSet> sets;
    for (const auto state : {night::MeasurementState::Kept,
                             night::MeasurementState::Parked,
                             night::MeasurementState::Dropped}) {
        for (const int panel : {0, 1}) {
            PlotSet set = setFor(state, panel);
            for (std::size_t i = 0; i < measurements.size(); ++i) {
                const auto& m = measurements[i];
                if (!m.seen || m.state != state) {
                    continue;
                }
                const double value =
                    panel == 0 ? m.observedMinusComputedRa : m.observedMinusComputedDec;
                const double error = panel == 0 ? m.raErrorArcsec : m.decErrorArcsec;
                const QString time = QString::fromStdString(toIso(m.time, 0)).mid(11, 8);
                set.points.push_back({plotTime(m.time),
                                      value,
                                      error,
                                      static_cast<int>(i),
                                      tr("%1 UTC: %2 ± %3″, %4")
                                          .arg(time)
                                          .arg(value, 0, 'f', 3)
                                          .arg(error, 0, 'f', 3)
                                          .arg(night::name(state))});
            }
            sets.push_back(std::move(set));
        }
    }
    setSets(std::move(sets));
}

} // namespace pathmark::desk
