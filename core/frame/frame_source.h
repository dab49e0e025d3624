#pragma once

#include "core/base/result.h"
#include "core/frame/fits_header.h"
#include "core/frame/image.h"

#include <span>
#include <string>

namespace pathmark::frame {

/// A picture open for reading, whatever its format: a header, and rows of pixels as float in any order,
/// so that a frame never has to be whole in memory.
class FrameSource {
  public:
    FrameSource() = default;
    FrameSource(const FrameSource&) = delete;
    FrameSource& operator=(const FrameSource&) = delete;
    virtual ~FrameSource() = default;

    [[nodiscard]] int width() const { return width_; }

    [[nodiscard]] int height() const { return height_; }

    [[nodiscard]] const Header& header() const { return header_; }

    /// Which picture of the file this is and how it was read; empty where there is only one way.
    [[nodiscard]] const std::string& note() const { return note_; }

    /// Which of a camera's sensors this is; empty where there is only one.
    [[nodiscard]] const std::string& sensor() const { return sensor_; }

    /// False where the library below unpacks the whole frame into memory when it is opened.
    [[nodiscard]] bool streams() const { return streams_; }

    /// Reads whole rows.
    ///
    /// Shapes   0 <= firstRow, out.size() a multiple of width().
    /// Errors   frame.truncated, frame.not_readable
    virtual Result<bool> rows(int firstRow, std::span<float> out) = 0;

    Result<Image> image() {
        Image result(width_, height_);
        if (auto read = rows(0, result.pixels()); !read) {
            return fail(read.error());
        }
        return result;
    }

  protected:
    FrameSource(FrameSource&&) noexcept = default;
    FrameSource& operator=(FrameSource&&) noexcept = default;

    Header header_;
    std::string note_;
    std::string sensor_;
    int width_ = 0;
    int height_ = 0;
    bool streams_ = true;
};

} // namespace pathmark::frame
