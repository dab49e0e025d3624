#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/stack/stack.h"

#include <array>
#include <memory>
#include <optional>
#include <span>
#include <vector>

namespace pathmark::stack {

/// A disc that somebody says is light, or is sky, whatever the pixels say.
struct SkyStroke {
    PlanePos at;         ///< from the target, radians
    double radius = 0.0; ///< likewise
    bool isLight = true;

    friend bool operator==(const SkyStroke& a, const SkyStroke& b) {
        return a.at.xi == b.at.xi && a.at.eta == b.at.eta && a.radius == b.radius &&
               a.isLight == b.isLight;
    }
};

/// Whether a place is light once what somebody has drawn, the later over the earlier, is laid over what it was taken for.
///
/// Shapes   `margin`: radians about a disc that count as in it
bool asDrawn(std::span<const SkyStroke> strokes, const PlanePos& at, double margin, bool isLight);

/// Where the light of something that moves lies about it, in square cells.
struct LightExtent {
    double cell = 0.0; ///< side, radians
    int left =
        0; ///< of the first cell, in cells from the target, which is in the middle of cell 0; eastwards
    int bottom = 0; ///< likewise, northwards
    int columns = 0;
    int rows = 0;
    std::vector<bool> isLight; ///< row by row

    [[nodiscard]] bool holds(const PlanePos& fromTarget) const;

    /// Of all its cells that a frame shows.
    [[nodiscard]] double share() const;
};

/// The skies of a series of frames.
struct SmoothSkies {
    std::vector<std::shared_ptr<const calibrate::Surface>> surfaces; ///< by frame
    LightExtent extent;
    int degree = 0; ///< of the polynomials
};

struct SmoothSkyWishes {
    std::optional<int> degree; ///< 1 to 6; else found
    std::span<const SkyStroke> strokes;
};

/// The sky of each frame as a polynomial: a mesh would take the faint, wide light of a tail for sky.
///
/// Model    Means of boxes, of all frames together: each is its frame's polynomial and, where the target's light is, that light, which is
///          the same about the target in all frames. It begins as the protected discs and grows to every neighbour of cells of three by
///          three boxes that stands out by 3 sigma from the cells without light around it, until it grows no more; its wings are taken to
///          reach two cells farther. Of the degrees from 1 to 6 the one of the least Bayesian information criterion is taken, but none
///          above 2 where the light fills more than four tenths of the frames: under it nothing holds a surface down. (Splines that are
///          free enough for a gradient sag under a tail: measured.)
/// Shapes   `frames`: files without values where stars are, as they stand on the sky; `targets` by frame, or empty
/// Errors   calibrate.no_background  too little sky is left; those of the readers
/// Source   Schwarz 1978, Annals of Statistics 6, 461 (the criterion).
Result<SmoothSkies> smoothSkies(std::span<const StackFrame> frames,
                                std::span<const SkyPos> targets,
                                const SmoothSkyWishes& wishes,
                                const Job& job);

} // namespace pathmark::stack
