#pragma once

#include "desk/plot/plot.h"
#include "desk/session/night_snapshot.h"

namespace pathmark::desk {

/// Observed minus computed of the body in hand against time: right ascension above, declination below.
class ResidualPlot : public Plot {
    Q_OBJECT

  public:
    explicit ResidualPlot(QWidget* parent = nullptr);

    /// Points are picked and chosen by their place in this list.
    void setMeasurements(Measurements measurements);

  private:
    [[nodiscard]] QString wordsOf(int index) const;

    Measurements measurements_;
};

} // namespace pathmark::desk
