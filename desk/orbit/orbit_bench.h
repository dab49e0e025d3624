#pragma once

#include "desk/shell/bench.h"

#include <QWidget>

class QLabel;
class QTableView;

namespace pathmark::desk {

class NightSession;
class OrbitPlot;
class OrbitSession;
class OrbitTable;

/// The bench of identifying: how the body in hand was found in the frames, and its orbit with every observation and
/// residual, each of which can be taken out with the fit following at once.
class OrbitBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit OrbitBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;

    /// The orbit is fitted only while somebody looks at it.
    void setShown(bool shown) override;

    /// The observation that keys act on.
    void choose(int sighting);

    [[nodiscard]] int chosen() const { return chosen_; }

  public slots:
    void refresh();

    /// Takes the chosen observation out of the fit, or back in.
    void toggleChosen();

  private:
    void toggle(int sighting);

    NightSession& session_;
    OrbitSession& orbit_;
    QLabel* title_;
    QLabel* match_;
    QLabel* fit_;
    OrbitPlot* plot_;
    OrbitTable* table_;
    QTableView* rows_;
    QLabel* elements_;
    int chosen_ = -1;
    bool follows_ = false; ///< the row is set by the program, not by the hand
};

} // namespace pathmark::desk
