#pragma once

#include "core/night/records.h"
#include "desk/plot/plot.h"
#include "desk/shell/bench.h"

#include <QLabel>
#include <QWidget>

#include <map>

namespace pathmark::desk {

class NightSession;

/// The magnitudes of a body against time, on top as they are, below them less what its orbit foretells. Points are picked by their
/// place in the list.
///
/// Shapes   `predicted`: magnitudes in V, by frame.
std::vector<PlotSet> brightnessSets(const Measurements& measurements,
                                    const std::map<night::FrameId, double>& predicted);

/// The body in hand by its brightness through the night, as a page of Measure.
class BrightnessBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit BrightnessBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void setFrame(int index) override;
    void setShown(bool shown) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void refresh();
    void pick(int index);
    [[nodiscard]] QString wordsOf(int index) const;

    NightSession& session_;
    bool isShown_ = false;
    Measurements measurements_;
    QLabel* title_;
    Plot* plot_;
};

} // namespace pathmark::desk
