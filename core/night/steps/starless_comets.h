#pragma once

#include "core/night/steps/stack_step.h"
#include "core/night/work_folder.h"
#include "core/orbit/elements.h"
#include "core/stack/stack.h"

#include <map>
#include <string>
#include <utility>
#include <vector>

namespace pathmark::night {

struct BeyondOrbit;

/// The frames about comets without their stars, whose trails would else be light of the coma. Told from all frames of a series, however
/// few of them are in one stack.
///
/// Files    Cut out about the comet's way, in a folder of results that goes with this.
class StarlessComets {
  public:
    explicit StarlessComets(NightRun& run);

    /// What the frames of a stack are like without their stars depends on all of these: of the series of a light.
    [[nodiscard]] std::string seriesDigest(const LightRecord& light) const;

    /// Puts the frames of a stack on a comet without their stars in the place of those with them.
    ///
    /// Shapes   `inputs`: of `stars.lights`, on the comet's motion. `beyond`: what the observer found of that; null: nothing.
    /// Returns  Why they could not be, in a sentence, then `inputs` are as they were; empty: they are without stars.
    /// Errors   base.cancelled, base.disk_full, and those of the readers
    Result<std::string> takeStarsOut(const orbit::Elements& comet,
                                     const BeyondOrbit* beyond,
                                     const StarStack& stars,
                                     std::vector<stack::StackFrame>& inputs);

  private:
    struct Series {
        std::string problem;                         ///< why no stars were taken out of any
        std::map<FrameId, stack::StackFrame> frames; ///< those of which they were
    };

    Result<Series>
    make(const orbit::Elements& comet, const BeyondOrbit* beyond, const SeriesId& series) const;

    NightRun& run_;
    WorkFolder folder_;
    std::map<std::pair<BodyId, SeriesId>, Series> made_;
};

} // namespace pathmark::night
