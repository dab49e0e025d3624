#pragma once

#include "core/night/joined_picture.h"

namespace pathmark::night {

/// One channel's stars and comet on the canvas.
struct ChannelLayers {
    frame::Image light;     ///< both, as far as wanted
    frame::Image stars;     ///< what of it is stars, where both were wanted
    frame::Image starStack; ///< that colours are measured on; empty: `light`
    frame::Image sky;       ///< see JoinedPicture
    frame::Image extent;
    double noise = 1.0;
    double lightVariance = 1.0;

    [[nodiscard]] const frame::Image& measured() const {
        return starStack.empty() ? light : starStack;
    }
};

/// Stacks the channels of a picture on one canvas.
class LayerMaker {
  public:
    LayerMaker(const PictureChannels& channels,
               const JoinedPictureWishes& wishes,
               const std::filesystem::path& folder,
               const Job& job)
        : channels_(channels), wishes_(wishes), folder_(folder), job_(job) {}

    /// Lays the canvas.
    Result<bool> layOut();

    Result<ChannelLayers> make(const PictureChannel& channel) const;

    [[nodiscard]] const stack::PixelGrid& grid() const { return grid_; }

    [[nodiscard]] const Utc& time() const { return time_; }

  private:
    [[nodiscard]] bool hasComet() const { return wishes_.layers != PictureLayers::Stars; }

    [[nodiscard]] bool moves(const PictureChannel& channel,
                             const std::vector<SkyPos>& targets) const;

    Result<std::vector<stack::StackFrame>> framesOf(const PictureChannel& channel,
                                                    std::vector<SkyPos>& targets) const;
    Result<bool> addMoved(const std::vector<StackLight>& lights,
                          std::vector<stack::FrameOutline>& outlines) const;
    Result<ChannelLayers> starsAlone(const PictureChannel& channel,
                                     std::vector<stack::StackFrame> frames) const;
    Result<stack::Stack> cometStack(std::vector<stack::StackFrame> frames,
                                    const std::vector<SkyPos>& targets) const;
    void drawSky(const std::vector<stack::StackFrame>& frames,
                 const PictureChannel& channel,
                 const stack::SmoothSkies& skies,
                 ChannelLayers& layers) const;

    const PictureChannels& channels_;
    const JoinedPictureWishes& wishes_;
    const std::filesystem::path& folder_;
    const Job& job_;
    stack::PixelGrid grid_;
    Utc time_;
    SkyPos origin_; ///< of the comet at that time
};

} // namespace pathmark::night
