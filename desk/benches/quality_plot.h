#pragma once

#include "core/night/quality.h"
#include "desk/plot/plot.h"
#include "desk/session/night_snapshot.h"

#include <vector>

namespace pathmark::desk {

/// One quality of every light against time, with a limit that can be dragged: what lies beyond it is crossed at
/// once, and left out only when the observer says so.
class QualityPlot : public Plot {
    Q_OBJECT

  public:
    explicit QualityPlot(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setQuality(night::Quality quality);

    /// Frames that the limit would leave out, by index of the light.
    [[nodiscard]] const std::vector<int>& fallingOut() const { return fallingOut_; }

    [[nodiscard]] const night::ExclusionRule& rule() const { return rule_; }

    /// Where a light's mark is drawn, and where the limit can be taken hold of.
    [[nodiscard]] QPointF markOf(int light) const;
    [[nodiscard]] double limitY() const;

    QSize sizeHint() const override { return {330, 220}; }

  signals:
    void ruleChanged();

  private:
    void measure();
    void sort();
    void moveLimit(double value);

    const NightSnapshot* night_ = nullptr;
    night::ExclusionRule rule_;
    std::vector<double> ratios_; ///< of the median of its series, NaN where not known
    std::vector<int> fallingOut_;
};

} // namespace pathmark::desk
