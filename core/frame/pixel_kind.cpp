#include "core/frame/pixel_kind.h"

#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::frame {
namespace {

constexpr int kRows = 32;

/// Pixels far above the level whose right neighbour is too: starlight spreads, a hot pixel does not.
std::size_t countPaired(const std::vector<float>& row, float limit) {
    std::size_t count = 0;
    for (std::size_t x = 0; x + 1 < row.size(); ++x) {
        count += row[x] > limit && row[x + 1] > limit ? 1U : 0U;
    }
    return count;
}

} // namespace

Result<PixelSample> samplePixels(FrameSource& source) {
    const int rows = std::min(kRows, source.height());
    std::vector<std::vector<float>> lines;
    std::vector<float> values;
    for (int i = 0; i < rows; ++i) {
        const int y =
            static_cast<int>((static_cast<long long>(2 * i + 1) * source.height()) / (2 * rows));
        std::vector<float> line(static_cast<std::size_t>(source.width()));
        if (auto read = source.rows(y, line); !read) {
            return fail(read.error());
        }
        std::copy_if(line.begin(), line.end(), std::back_inserter(values), [](float v) {
            return std::isfinite(v);
        });
        lines.push_back(std::move(line));
    }
    if (values.empty()) {
        return fail(ErrorId::FrameNoValues,
                    "Every pixel looked at is undefined (NaN or BLANK); the frame is left out.");
    }
    PixelSample sample;
    const double all = static_cast<double>(rows) * source.width();
    sample.definedShare = static_cast<double>(values.size()) / all;
    const RobustMoments moments = clippedMoments(values);
    sample.level = moments.centre;
    sample.scatter = moments.sigma;
    const auto limit = static_cast<float>(sample.level + 10.0 * std::max(sample.scatter, 1.0));
    std::size_t bright = 0;
    for (const auto& line : lines) {
        bright += countPaired(line, limit);
    }
    sample.brightShare = static_cast<double>(bright) / all;
    return sample;
}

FrameKind kindFromPixels(const PixelSample& sample, const FrameInfo& info, double rangeAdu) {
    constexpr double starShare = 1e-5;
    if (sample.level > 0.15 * rangeAdu && sample.brightShare < starShare) {
        return FrameKind::Flat;
    }
    if (sample.brightShare >= starShare) {
        return FrameKind::Light;
    }
    if (!info.exposureKnown) {
        return FrameKind::Unknown;
    }
    return info.exposureSeconds <= 0.0 ? FrameKind::Bias : FrameKind::Dark;
}

} // namespace pathmark::frame
