#pragma once

#include "core/night/growth_of.h"
#include "core/night/measure_here.h"
#include "desk/jobs/job_lane.h"
#include "desk/plot/plot.h"
#include "desk/session/night_catalogue.h"
#include "desk/shell/bench.h"

#include <QLabel>
#include <QWidget>

#include <optional>
#include <string>
#include <vector>

namespace pathmark::desk {

class NightSession;
class SkyView;

/// On top the light within circles, in per cent of all, with what a point has in them; below the signal-to-noise that such a circle has.
/// Points are picked by their circle.
std::vector<PlotSet> growthSets(const measure::GrowthCurve& curve, double scaleArcsec);

/// What the circle of the best signal-to-noise says, beside the fit, and what its error is made of.
QString growthWords(const measure::GrowthCurve& curve,
                    const night::MeasurementRecord& fitted,
                    double scaleArcsec);

/// What was found at a place that was pointed at.
QString hereWords(const night::MeasuredHere& here);

/// The light of the measurement in hand in circle upon circle, as a page of Measure: whether it is a point's, and what disturbs it. A click
/// on the Sky measures there instead, on every frame that is then taken in hand, until another body is.
class GrowthBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    GrowthBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void setFrame(int) override { refresh(); }

    void setShown(bool shown) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    /// What a worker found.
    struct Found {
        night::MeasuredHere here; ///< its record is that of the body, where one was in hand
        Result<night::Growth> growth;
    };

    void refresh();
    void point(const SkyPos& place);
    void want(const night::MeasurementRecord& record);
    void measure();
    void take(const std::string& id, const Result<Found>& found);
    void clear(const QString& why);
    [[nodiscard]] QString wordsOf(int circle) const;

    NightSession& session_;
    JobLane measuring_;
    NightCatalogue catalogue_;
    bool isShown_ = false;
    std::optional<SkyPos> pointed_;
    int light_ = -1;                  ///< by whose stars it is measured
    night::MeasurementRecord wanted_; ///< in hand, or the place pointed at
    double scaleArcsec_ = 1.0;
    measure::GrowthCurve curve_;
    QLabel* title_;
    Plot* plot_;
    QLabel* words_;
};

} // namespace pathmark::desk
