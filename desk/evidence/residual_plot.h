#pragma once

#include "core/night/records.h"
#include "desk/plot/plot.h"

namespace pathmark::desk {

/// Observed minus computed of the body in hand against time: right ascension above, declination below.
class ResidualPlot : public Plot {
    Q_OBJECT

  public:
    explicit ResidualPlot(QWidget* parent = nullptr);

    /// Points are picked and chosen by their place in this list.
    void setMeasurements(std::vector<night::MeasurementRecord> measurements);

  private:
    [[nodiscard]] QString wordsOf(int index) const;

    std::vector<night::MeasurementRecord> measurements_;
};

} // namespace pathmark::desk
