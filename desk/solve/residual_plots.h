#pragma once

#include "core/night/frame_stars.h"
#include "desk/plot/plot.h"

#include <array>
#include <memory>

namespace pathmark::desk {

/// Residuals of the stars against magnitude, distance from the middle of the frame, and colour, with running medians.
class ResidualPlots : public QWidget {
    Q_OBJECT

  public:
    explicit ResidualPlots(QWidget* parent = nullptr);

    void setStars(const std::shared_ptr<const night::FrameStars>& stars);
    void setChosen(int star);

  signals:
    void starPicked(int star); ///< index into FrameStars::stars

  private:
    std::array<Plot*, 3> plots_{}; ///< magnitude, distance, colour
};

} // namespace pathmark::desk
