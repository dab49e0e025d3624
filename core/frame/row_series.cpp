#include "core/frame/row_series.h"

#include "core/base/atomic_file.h"
#include "core/frame/open_frame.h"

#include <unistd.h>

#include <algorithm>
#include <cerrno>

namespace pathmark::frame {
namespace {

namespace fs = std::filesystem;

/// A frame unpacked as floats into a file that has no name any more and goes when it is closed.
class ScratchSource final : public FrameSource {
  public:
    ~ScratchSource() override {
        if (descriptor_ >= 0) {
            ::close(descriptor_);
        }
    }

    Result<bool> fill(FrameSource& from, const fs::path& path) {
        width_ = from.width();
        height_ = from.height();
        path_ = path;
        std::string name = (fs::temp_directory_path() / "pathmark-XXXXXX").string();
        descriptor_ = ::mkstemp(name.data());
        if (descriptor_ < 0) {
            return fail(writeError(errno, name));
        }
        ::unlink(name.c_str());
        constexpr int band = 64;
        std::vector<float> rows;
        for (int first = 0; first < height_; first += band) {
            rows.resize(static_cast<std::size_t>(width_) *
                        static_cast<std::size_t>(std::min(band, height_ - first)));
            if (auto read = from.rows(first, rows); !read) {
                return read;
            }
            const auto* bytes = reinterpret_cast<const char*>(rows.data());
            std::size_t left = rows.size() * sizeof(float);
            while (left > 0) {
                const ssize_t wrote = ::write(descriptor_, bytes, left);
                if (wrote <= 0) {
                    return fail(writeError(errno, name));
                }
                bytes += wrote;
                left -= static_cast<std::size_t>(wrote);
            }
        }
        return true;
    }

    Result<bool> rows(int firstRow, std::span<float> out) override {
        auto* bytes = reinterpret_cast<char*>(out.data());
        std::size_t left = out.size() * sizeof(float);
        off_t offset = static_cast<off_t>(firstRow) * width_ * static_cast<off_t>(sizeof(float));
        while (left > 0) {
            const ssize_t got = ::pread(descriptor_, bytes, left, offset);
            if (got <= 0) {
                return fail(ErrorId::FrameNotReadable,
                            "The unpacked copy cannot be read back.",
                            path_.string());
            }
            bytes += got;
            offset += got;
            left -= static_cast<std::size_t>(got);
        }
        return true;
    }

  private:
    int descriptor_ = -1;
    fs::path path_;
};

} // namespace

Result<RowSeries> RowSeries::open(std::span<const fs::path> files, const Job& job) {
    RowSeries series;
    for (const auto& file : files) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        auto source = openFrame(file);
        if (!source) {
            return fail(source.error());
        }
        const bool isFirst = series.frames_.empty();
        if (!isFirst &&
            ((*source)->width() != series.width_ || (*source)->height() != series.height_)) {
            return fail(ErrorId::CalibrateSizesDiffer,
                        "This frame has another size than the others of its group; leave it out.",
                        file.string());
        }
        series.width_ = (*source)->width();
        series.height_ = (*source)->height();
        if (!(*source)->streams() && files.size() > 1) {
            auto scratch = std::make_unique<ScratchSource>();
            if (auto filled = scratch->fill(**source, file); !filled) {
                return fail(filled.error());
            }
            series.frames_.push_back(std::move(scratch));
        } else {
            series.frames_.push_back(std::move(*source));
        }
    }
    return series;
}

Result<bool> RowSeries::rows(std::size_t frame, int firstRow, std::span<float> out) {
    return frames_[frame]->rows(firstRow, out);
}

} // namespace pathmark::frame
