#pragma once

#include "core/identify/populations.h"
#include "desk/shell/bench.h"
#include "desk/sweep/swept_table.h"

#include <QScrollArea>

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QTableView;

namespace pathmark::desk {

class Plot;
class StackSession;
class StackViews;
class SweepPlane;
class SweepSession;

/// The sweep, as a page of Identify: the plane of motions with what is searched and what was found on it, what it costs and shows, and of the
/// candidate in hand its stack, the halves of it, and its light frame by frame.
class SweepBench : public QScrollArea, public Bench {
    Q_OBJECT

  public:
    explicit SweepBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setShown(bool shown) override;
    void refreshColours() override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void layOut();
    void connectAll();
    void startOrStop();
    void readControls();
    void takeBounds(int choice);
    void showWish();
    void showWords();
    [[nodiscard]] int boundsOf(const identify::RateSector& sector) const;
    void showFound();
    void showInHand();
    void showViews();
    void widen(double factor);
    [[nodiscard]] QString words() const;
    [[nodiscard]] QString foundWords() const;
    [[nodiscard]] std::vector<SweptTable::Row> rows() const;
    [[nodiscard]] std::vector<struct MovingMark>
    marks(const std::vector<SweptTable::Row>& found) const;

    NightSession& session_;
    SweepSession& sweep_;
    StackSession& stack_;
    SweepPlane* plane_;
    QComboBox* bounds_;
    QDoubleSpinBox* least_;
    QDoubleSpinBox* most_;
    QDoubleSpinBox* from_;
    QDoubleSpinBox* to_;
    QComboBox* chance_;
    QPushButton* start_;
    QPushButton* forget_;
    QLabel* words_;
    SweptTable* table_;
    QTableView* list_;
    QPushButton* keep_;
    QPushButton* drop_;
    StackViews* views_;
    Plot* light_;
    double mostShown_ = 0.0; ///< rate at the edge of the plane
};

} // namespace pathmark::desk
