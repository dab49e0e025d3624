#pragma once

#include "core/night/records.h"

#include <QWidget>

#include <vector>

namespace pathmark::desk {

/// Observed minus computed of the body in hand against time, with error bars: right ascension above, declination
/// below.
class ResidualPlot : public QWidget {
    Q_OBJECT

  public:
    explicit ResidualPlot(QWidget* parent = nullptr);

    void setMeasurements(std::vector<night::MeasurementRecord> measurements);
    void setChosen(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void drawAxis(QPainter& painter, const QRectF& box, bool declination, double reach) const;

    std::vector<night::MeasurementRecord> measurements_;
    int chosen_ = 0;
};

} // namespace pathmark::desk
