#pragma once

#include "core/night/comet_look.h"
#include "desk/jobs/job_lane.h"
#include "desk/plot/plot.h"
#include "desk/shell/bench.h"

#include <QLabel>
#include <QWidget>

#include <memory>
#include <optional>

namespace pathmark::desk {

class NightSession;
class SkyView;

/// The comet in hand on the frame in hand, circle by circle, as a page of Measure; the circle in hand is a ring on the Sky.
class CometBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    CometBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setFrame(int index) override;
    void setShown(bool shown) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void refresh();
    void look();
    void take(const night::FrameId& frame, Result<night::CometLook> look);
    void clear(const QString& why);
    void showCircle(int circle);
    [[nodiscard]] std::optional<SkyPos> place() const;

    NightSession& session_;
    SkyView& sky_;
    JobLane looking_;
    bool isShown_ = false;
    night::FrameId frame_; ///< that was looked at, or is being
    orbit::BodyId body_;   ///< likewise
    std::optional<night::CometLook> look_;
    int circle_ = -1;
    QLabel* title_;
    Plot* plot_;
    QLabel* words_;
};

} // namespace pathmark::desk
