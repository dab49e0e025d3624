#pragma once

#include "desk/shell/bench.h"
#include "desk/sky/star_marks.h"
#include "desk/solve/frame_star_search.h"
#include "desk/solve/hand_fit_session.h"

#include <QObject>

namespace pathmark::desk {

class SkyView;
class SolveBench;

/// Ties the stars of the frame in hand and the fit by hand to the Sky and the bench of solving.
class SolveController : public QObject, public Bench {
    Q_OBJECT

  public:
    SolveController(NightSession& session, SkyView& sky, QObject* parent = nullptr);

    [[nodiscard]] SolveBench* bench() const { return bench_; }

    [[nodiscard]] HandFitSession& handFit() { return hand_; }

    [[nodiscard]] FrameStarSearch& look() { return look_; }

    [[nodiscard]] BenchInfo info() const override;
    [[nodiscard]] QWidget* widget() override;
    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setFrame(int index) override;

    /// The stars are looked for only while the bench is on the screen.
    void setShown(bool shown) override;

    /// Shows the marks of stars, or not.
    void toggleMarks();

    /// Draws the marks again: another picture, another frame.
    [[nodiscard]] std::vector<StarMark> marksNow() const;
    void showMarks();

  private:
    void connectHand();
    void addHandCommands(Commands& commands);
    void nudge(QPointF by);
    [[nodiscard]] std::shared_ptr<const night::FrameStars> shownStars() const;
    [[nodiscard]] std::vector<StarMark> accountMarks(const night::FrameStars& stars) const;
    [[nodiscard]] static std::vector<StarMark> sourceMarks(const night::FrameStars& stars);
    [[nodiscard]] std::vector<StarMark> handMarks() const;
    void choose(int star);

    NightSession& session_;
    SkyView& sky_;
    FrameStarSearch look_;
    HandFitSession hand_;
    SolveBench* bench_ = nullptr;
    bool shown_ = false;
    bool marks_ = true;
    int chosen_ = -1;
};

} // namespace pathmark::desk
