#pragma once

#include "core/base/result.h"
#include "core/calibrate/surface.h"
#include "core/detect/background.h"
#include "core/frame/frame_source.h"

#include <span>
#include <vector>

namespace pathmark::stack {

/// The sky of a whole frame, so that parts of it that are stacked one after the other join without a seam.
///
/// Model    detect::Background over every fourth row and the means of four columns (every pixel of small frames); under a
///          protected disc a polynomial of degree 2 fitted to what lies around it, so that a coma is no sky.
/// Cost     Reads a quarter of the rows.
class SkyLevels {
  public:
    /// Errors   those of the reader
    static Result<SkyLevels> measure(frame::FrameSource& reader,
                                     std::span<const calibrate::ProtectedDisc> protect);

    /// A surface that was fitted elsewhere, of a frame of that size.
    static SkyLevels of(const calibrate::Surface& surface, int width, int height);

    /// Takes the level off a row of the frame.
    void takeOff(int y, std::span<float> row) const;

    [[nodiscard]] double at(double x, double y) const;

  private:
    /// What bridges a disc, in pixels of the thinned frame.
    struct Bridge {
        calibrate::ProtectedDisc disc;
        int left = 0; ///< of the part that the surface was fitted to
        int top = 0;
        calibrate::Surface surface;
    };

    /// The mesh of a thinned frame, and what bridges its discs.
    struct Mesh {
        int step = 1;
        detect::Background levels;
        std::vector<Bridge> bridges;

        void bridge(const frame::Image& thinned, const calibrate::ProtectedDisc& disc);
        [[nodiscard]] double at(double x, double y) const;
    };

    template <class F>
    SkyLevels(const F& levelAt, int width, int height);

    int columns_ = 0;
    std::vector<float> nodes_; ///< the level at every kRun-th pixel and row
};

} // namespace pathmark::stack
