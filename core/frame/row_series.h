#pragma once

#include "core/base/job.h"
#include "core/frame/frame_source.h"

#include <filesystem>
#include <memory>
#include <span>
#include <vector>

namespace pathmark::frame {

/// Frames of one size read together band by band, however many there are: frames that their library would
/// hold whole in memory (gzip, camera raw) are first unpacked, one at a time, into a nameless scratch file.
class RowSeries {
  public:
    /// Errors   frame.*, calibrate.sizes_differ, base.cancelled, base.disk_full for the scratch file
    static Result<RowSeries> open(std::span<const std::filesystem::path> files, const Job& job);

    [[nodiscard]] std::size_t size() const { return frames_.size(); }

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

    /// Reads whole rows of one frame.
    ///
    /// Threads  Different frames may be read at the same time.
    Result<bool> rows(std::size_t frame, int firstRow, std::span<float> out);

  private:
    std::vector<std::unique_ptr<FrameSource>> frames_;
    int width_ = 0;
    int height_ = 0;
};

} // namespace pathmark::frame
