#pragma once

#include "desk/plot/plot.h"
#include "desk/session/night_snapshot.h"

#include <span>
#include <vector>

namespace pathmark::desk {

/// The way of a body through the frames of a series against the one foretold: offsets along its motion on top, across it (towards a
/// position angle 90° larger) below. What was measured has its error; a source that agrees and was not measured, and a frame in which
/// nothing was found, have marks of their own. Points are picked by their place among the predictions; those of stacks are not.
///
/// Shapes   `predictions`: of the body, one for each frame.
std::vector<PlotSet> pathSets(std::span<const night::PredictionRecord> predictions,
                              const Measurements& measurements);

/// That way, in arcsec against time.
class PathPlot : public Plot {
    Q_OBJECT

  public:
    explicit PathPlot(QWidget* parent = nullptr);

    void setPath(std::vector<night::PredictionRecord> predictions,
                 const Measurements& measurements);

    /// The frame of a point; null: it has none.
    [[nodiscard]] const night::FrameId* frameOf(int point) const;

    /// The point of a frame in hand; nothing happens where it has none.
    void chooseFrame(const night::FrameId& frame);

  private:
    [[nodiscard]] QString wordsOf(const night::PredictionRecord& predicted) const;

    std::vector<night::PredictionRecord> predictions_;
    Measurements measurements_;
};

} // namespace pathmark::desk
