#pragma once

#include "core/night/growth_of.h"
#include "core/night/measure_here.h"
#include "desk/evidence/growth_words.h"
#include "desk/jobs/job_lane.h"
#include "desk/shell/bench.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

#include <optional>
#include <string>
#include <vector>

namespace pathmark::desk {

class FitPictures;
class TwoSites;
class NightSession;
class SkyView;

/// The light of the measurement in hand in circle upon circle, as a page of Measure: whether it is a point's, and what disturbs it. A click
/// on the Sky measures there instead, on every frame that is then taken in hand, until another body is; what is measured so can be kept
/// under a name, and the place then follows what is known of the motion of that name.
class GrowthBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    GrowthBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setFrame(int index) override;
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
    void forgetNight();
    void point(const SkyPos& place);
    void pointAtPredicted();
    void carry();
    void showPointed(const night::LightRecord& light);
    void showMeasured(const night::LightRecord& light);
    void want(const night::MeasurementRecord& record);
    void measure();
    void take(const std::string& id, const Result<Found>& found);
    void clear(const QString& why);
    void showRing(int circle);
    void keep();
    void nameIt();
    [[nodiscard]] QString wordsOf(int circle) const;
    [[nodiscard]] const night::PredictionRecord* predicted() const;
    [[nodiscard]] night::HandAim aim() const;
    [[nodiscard]] night::HandModel model() const;
    void nextModel();

    NightSession& session_;
    SkyView& sky_;
    JobLane measuring_;
    bool isShown_ = false;
    std::optional<SkyPos> pointed_;
    bool followsOrbit_ = false; ///< the place pointed at is where the body in hand is predicted
    std::optional<night::HandModel> model_;        ///< chosen; else by what the body in hand is
    int light_ = -1;                               ///< by whose stars it is measured
    night::MeasurementRecord wanted_;              ///< in hand, or the place pointed at
    std::optional<night::MeasuredHere> here_;      ///< what stands at the place pointed at
    std::optional<night::MeasurementRecord> held_; ///< that others are told their distance from
    SkyPos measuredAt_;
    double scaleArcsec_ = 1.0;
    measure::GrowthCurve curve_;
    QLabel* title_;
    FitPictures* fit_;
    Plot* plot_;
    QLabel* words_;
    TwoSites* sites_;
    QWidget* hand_; ///< the name and what is done with it
    QLineEdit* name_;
    QPushButton* keep_;
    QPushButton* modelButton_;
};

} // namespace pathmark::desk
