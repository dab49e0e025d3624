#include "desk/benches/quality_plot.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::desk {
namespace {

/// Seeing and cloud make frames worse upwards in these, downwards in the others.
bool worseAbove(night::Quality quality) {
    return quality != night::Quality::Stars && quality != night::Quality::Transparency;
}

constexpr double kLeastLimit = 0.01;

} // namespace

QualityPlot::QualityPlot(QWidget* parent) : Plot(parent) {
    setObjectName("qualityPlot");
    setLeastHeight(200);
    setToolTip(tr("Drag the dashed line: frames beyond it are crossed. Q shows the next quality."));
    setEmptyText(tr("The lights are being looked at."));
    connect(this, &Plot::limitMoved, this, &QualityPlot::moveLimit);
    setQuality(rule_.quality);
}

void QualityPlot::setNight(const NightSnapshot* night) {
    const bool isSame =
        night_ != nullptr && night != nullptr && night_->lights.isSameAs(night->lights);
    const bool isLeftOutSame = isSame && night_->excluded == night->excluded;
    night_ = night;
    if (isLeftOutSame) {
        return;
    }
    if (!isSame) {
        measure();
    }
    sort();
    if (!isSame) {
        showAll();
    }
}

void QualityPlot::setQuality(night::Quality quality) {
    rule_.quality = quality;
    rule_.above = worseAbove(quality);
    rule_.limit = rule_.above ? 1.4 : 0.7;
    setAxes({tr("UTC"), true, false},
            {{tr("%1 ÷ median of its series").arg(night::title(quality)), false, false}});
    measure();
    sort();
    showAll();
    emit ruleChanged();
}

void QualityPlot::measure() {
    ratios_.clear();
    if (night_ == nullptr) {
        return;
    }
    ratios_ = night::qualitiesOf(night_->lights, rule_.quality);
    const auto medians = night::seriesMedians(night_->lights, ratios_);
    for (std::size_t i = 0; i < ratios_.size(); ++i) {
        ratios_[i] =
            medians[i] > 0.0 ? ratios_[i] / medians[i] : std::numeric_limits<double>::quiet_NaN();
    }
}

/// Sorts the lights into those within the limit, beyond it, and left out already.
void QualityPlot::sort() {
    PlotSet within{tr("within"), 0, PlotRole::Agreed, PlotMark::Upright, false, {}};
    PlotSet beyond{tr("beyond the limit"), 0, PlotRole::Disagrees, PlotMark::Cross, false, {}};
    PlotSet leftOut{tr("left out"), 0, PlotRole::Quiet, PlotMark::Lozenge, false, {}};
    fallingOut_.clear();
    const auto out =
        night_ != nullptr ? night::fallsOut(night_->lights, rule_) : std::vector<bool>();
    for (std::size_t i = 0; i < ratios_.size(); ++i) {
        const int light = static_cast<int>(i);
        if (out[i] && !night_->excluded[i]) {
            fallingOut_.push_back(light);
        }
        if (!std::isfinite(ratios_[i])) {
            continue;
        }
        PlotSet& set = night_->excluded[i] ? leftOut : out[i] ? beyond : within;
        const auto& record = night_->lights[i];
        set.points.push_back({plotTime(record.middle),
                              ratios_[i],
                              0.0,
                              light,
                              QString("%1: %2 × (%3)")
                                  .arg(QString::fromStdString(record.raw.filename().string()))
                                  .arg(ratios_[i], 0, 'f', 2)
                                  .arg(set.name)});
    }
    setLimit(PlotLimit{0, rule_.limit, QString::fromStdString(night::words(rule_))});
    replaceSets({std::move(within), std::move(beyond), std::move(leftOut)});
}

void QualityPlot::moveLimit(double value) {
    const double limit = std::max(kLeastLimit, std::round(100.0 * value) / 100.0);
    if (limit != rule_.limit) {
        rule_.limit = limit;
        sort();
        emit ruleChanged();
    }
}

QPointF QualityPlot::markOf(int light) const {
    const auto at = static_cast<std::size_t>(light);
    return placeOf(0, plotTime(night_->lights[at].middle), ratios_[at]);
}

double QualityPlot::limitY() const {
    return placeOf(0, horizontalRange().first, rule_.limit).y();
}

} // namespace pathmark::desk
