#pragma once

#include "core/base/result.h"
#include "core/calibrate/match.h"
#include "core/frame/frame_info.h"
#include "core/frame/image.h"
#include "core/night/records.h"

#include <optional>
#include <span>

namespace pathmark::night {

/// The middle of a large frame: enough of it to tell sky, noise and the width of its stars.
struct MiddlePart {
    int x = 0; ///< first column
    int y = 0; ///< first row
    int width = 0;
    int height = 0;

    /// Half of each side, but enough for some stars and no more than it needs.
    static MiddlePart of(int width, int height);

    [[nodiscard]] frame::Image cut(const frame::Image& whole) const;
};

/// What raw lights of one series tell of their quality before anything is calibrated: the middle of each, less that of one dark or
/// bias, is searched for stars.
class FirstLook {
  public:
    /// A dark of a series, else a bias, as its match has them.
    static std::optional<frame::FrameInfo> underOf(const calibrate::MasterMatch& match,
                                                   std::span<const calibrate::FrameGroup> groups);

    /// `under`: a dark of that exposure, else a bias; none: the camera's offset stays in the sky.
    ///
    /// Errors   those of reading `under`
    static Result<FirstLook> make(const std::optional<frame::FrameInfo>& under);

    /// Sky and noise in electrons as far as the header tells the gain, else in ADU; the number of stars is brought to the whole
    /// frame. Of a colour camera all are those of the sums of its cells.
    ///
    /// Errors   those of reading the light
    [[nodiscard]] Result<SourcesPart> at(const frame::FrameInfo& light) const;

  private:
    frame::Image under_; ///< its middle; empty: none
};

} // namespace pathmark::night
