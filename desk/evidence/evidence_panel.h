#pragma once

#include "core/night/records.h"
#include "desk/shell/bench.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QWidget>

namespace pathmark::desk {

class CutoutStrip;
class NightSession;
class ResidualPlot;

/// For the body in hand: cut-outs through time, residuals, the chosen measurement and the decision about it.
class EvidencePanel : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit EvidencePanel(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;

    /// The measurement on that frame, where there is one.
    void setFrame(int index) override;

    void refreshColours() override { refresh(); }

    /// The measurement that keys and buttons act on; empty id where there is none.
    [[nodiscard]] night::MeasurementRecord chosen() const;

    CutoutStrip& strip() { return *strip_; }

  public slots:
    void refresh();
    /// Chooses a measurement; Sky and Ribbon follow to its frame.
    void choose(int index);
    void keep();
    void park();
    void drop();

  private:
    void chooseIn(int frame);
    void show(int index);
    void decide(night::MeasurementState state, const QString& reason = {});
    void askWhy(night::MeasurementState state);
    void endWhy();
    bool eventFilter(QObject* object, QEvent* event) override;
    void showDetails();

    NightSession& session_;
    orbit::BodyId body_;   ///< whose measurements these are
    bool follows_ = false; ///< it is the program that chooses
    Measurements measurements_;
    QLabel* title_;
    CutoutStrip* strip_;
    ResidualPlot* residuals_;
    QLabel* details_;
    QPushButton* keep_;
    QPushButton* park_;
    QPushButton* drop_;
    QComboBox* why_; ///< seen while a reason is asked for
    night::MeasurementState whyState_ = night::MeasurementState::Parked;
};

} // namespace pathmark::desk
