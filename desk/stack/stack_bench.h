#pragma once

#include "desk/shell/bench.h"

#include <QScrollArea>

class QLabel;
class QPushButton;

namespace pathmark::desk {

class MotionPlaneView;
class PathPlot;
class StackBars;
class StackSession;
class StackViews;

/// The bench of stacking: the plane of motions with the one in hand, what the frames make at it, and the stacks that the run made.
class StackBench : public QScrollArea, public Bench {
    Q_OBJECT

  public:
    explicit StackBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setFrame(int index) override;
    void setShown(bool shown) override;
    void refreshColours() override;

  private:
    void showBody();
    void showTitle();
    void showMotions();
    void showPath();
    void showViews();
    void showOnSky();
    [[nodiscard]] QString words() const;

    NightSession& session_;
    StackSession& stack_;
    QLabel* title_;
    MotionPlaneView* plane_;
    QLabel* words_;
    QPushButton* toOrbit_;
    QPushButton* toFitted_;
    QPushButton* toSky_;
    QPushButton* toRun_;
    StackViews* views_;
    PathPlot* path_;
    night::SeriesId pathSeries_; ///< that the path is of
    StackBars* bars_;
};

} // namespace pathmark::desk
