#pragma once

#include "core/measure/growth_curve.h"
#include "core/night/records.h"
#include "desk/jobs/job_lane.h"
#include "desk/plot/plot.h"
#include "desk/session/night_catalogue.h"
#include "desk/shell/bench.h"

#include <QLabel>
#include <QWidget>

namespace pathmark::desk {

class NightSession;

/// On top the light within circles, in per cent of all, with what a point has in them; below the signal-to-noise that such a circle has.
/// Points are picked by their circle.
std::vector<PlotSet> growthSets(const measure::GrowthCurve& curve, double scaleArcsec);

/// What the circle of the best signal-to-noise says, beside the fit, and what its error is made of.
QString growthWords(const measure::GrowthCurve& curve,
                    const night::MeasurementRecord& fitted,
                    double scaleArcsec);

/// The light of the measurement in hand in circle upon circle, as a page of Measure: whether it is a point's, and what disturbs it.
class GrowthBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit GrowthBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void setFrame(int) override { refresh(); }

    void setShown(bool shown) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void refresh();
    void measure();
    void take(const std::string& id, const Result<measure::GrowthCurve>& curve);
    void clear(const QString& why);
    [[nodiscard]] QString wordsOf(int circle) const;

    NightSession& session_;
    JobLane measuring_;
    NightCatalogue catalogue_;
    bool isShown_ = false;
    night::MeasurementRecord wanted_; ///< the measurement in hand
    double scaleArcsec_ = 1.0;
    measure::GrowthCurve curve_;
    QLabel* title_;
    Plot* plot_;
    QLabel* words_;
};

} // namespace pathmark::desk
