#pragma once

#include "core/night/records.h"

#include <QLabel>
#include <QPushButton>
#include <QWidget>

namespace pathmark::desk {

class CutoutStrip;
class NightSession;
class ResidualPlot;

/// For the body in hand: cut-outs through time, residuals, the chosen measurement and the decision about it.
class EvidencePanel : public QWidget {
    Q_OBJECT

  public:
    explicit EvidencePanel(NightSession& session, QWidget* parent = nullptr);

    /// The measurement that keys and buttons act on; empty id where there is none.
    [[nodiscard]] night::MeasurementRecord chosen() const;

    CutoutStrip& strip() { return *strip_; }

  public slots:
    void refresh();
    void choose(int index);
    void keep();
    void park();
    void drop();

  private:
    void decide(night::MeasurementState state);
    void showDetails();

    NightSession& session_;
    std::vector<night::MeasurementRecord> measurements_;
    QLabel* title_;
    CutoutStrip* strip_;
    ResidualPlot* residuals_;
    QLabel* details_;
    QPushButton* keep_;
    QPushButton* park_;
    QPushButton* drop_;
};

} // namespace pathmark::desk
