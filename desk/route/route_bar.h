#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

#include <array>

namespace pathmark::desk {

enum class Stage { Gather, Calibrate, Solve, Identify, Stack, Measure, Report };
constexpr int kStageCount = 7;

enum class StageState { Empty, Partly, Done, NeedsReview };

QString name(Stage stage);

/// How far a night has come at each stage.
std::array<StageState, kStageCount> stageStates(const NightSnapshot* night);

/// The way from Gather to Report as one thin line with seven marks; each can be entered at any time.
class RouteBar : public QWidget {
    Q_OBJECT

  public:
    explicit RouteBar(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setStage(Stage stage);

    [[nodiscard]] Stage stage() const { return stage_; }

    [[nodiscard]] StageState state(Stage stage) const {
        return states_[static_cast<std::size_t>(stage)];
    }

    /// Where a mark stands.
    [[nodiscard]] QPointF markPoint(Stage stage) const;

    QSize sizeHint() const override { return {700, 46}; }

  signals:
    void stageChosen(pathmark::desk::Stage stage);

  protected:
    void changeEvent(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

  private:
    void grow(); ///< with the text

    std::array<StageState, kStageCount> states_{};
    Stage stage_ = Stage::Measure;
};

} // namespace pathmark::desk
