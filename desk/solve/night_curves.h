#pragma once

#include "desk/plot/plot.h"
#include "desk/session/night_snapshot.h"

namespace pathmark::desk {

/// The solutions of the night frame by frame: residual, matched stars, width of the stars, limiting magnitude, drift. A point picked is
/// the place of its light in the night.
class NightCurves : public Plot {
    Q_OBJECT

  public:
    explicit NightCurves(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
};

} // namespace pathmark::desk
