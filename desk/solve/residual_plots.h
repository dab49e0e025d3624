#pragma once

#include "core/night/frame_stars.h"
#include "core/solve/residual_summary.h"

#include <QWidget>

#include <array>
#include <memory>
#include <vector>

namespace pathmark::desk {

/// Residuals of the stars against magnitude, distance from the middle of the frame, and colour, with running medians.
class ResidualPlots : public QWidget {
    Q_OBJECT

  public:
    explicit ResidualPlots(QWidget* parent = nullptr);

    void setStars(const std::shared_ptr<const night::FrameStars>& stars);
    void setChosen(int star);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    /// One star in one plot.
    struct Point {
        int star = 0;
        double at = 0.0;
        double value = 0.0;
        bool alongDec = false;
        bool rejected = false;
    };

    struct Plot {
        QString title;
        QString unit;
        std::vector<Point> points;
        std::vector<solve::TrendBin> trend;
        std::vector<solve::TrendBin> trendDec; ///< empty where both axes are one
        double low = 0.0;
        double high = 1.0;
    };

    void fill(Plot& plot);
    void draw(QPainter& painter, const QRectF& box, const Plot& plot) const;

    std::array<Plot, 3> plots_;
    double reach_ = 1.0; ///< arcsec from the middle line to the edge
    int chosen_ = -1;
};

} // namespace pathmark::desk
