#pragma once

#include "core/detect/detect.h"
#include "core/detect/point_spread_field.h"
#include "core/frame/image.h"

namespace pathmark::detect {

/// How far from its middle a source is seen: to where its light falls below a tenth of the sky's noise, 60 pixels at most.
double seenRadius(const PointSpreadField& spread, double flux, double noise);

/// Adds the light of fitted sources to rows of a frame, one after another.
class SourceLight {
  public:
    explicit SourceLight(const PointSpreadField& spread);

    /// Adds what lies up to `reach` pixels from the middle of a source, beyond the field's tables by the profile alone; of trailed
    /// ones no farther than the tables.
    ///
    /// Shapes   `rows`: as wide as the frame, from its row `firstRow` on.
    void add(const Source& source, int reach, int firstRow, frame::Image& rows);

  private:
    const PointSpreadField& spread_;
    SpreadPatch patch_;
};

} // namespace pathmark::detect
