#include "core/picture/colour_picture.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::picture {
namespace {

constexpr int kNear = 2; ///< pixels around that one is filled from

/// The mean of what has a value about a pixel; NaN where fewer than five have.
float meanAround(const frame::Image& image, int x, int y) {
    float sum = 0.0F;
    int count = 0;
    for (int v = std::max(0, y - kNear); v <= std::min(image.height() - 1, y + kNear); ++v) {
        for (int u = std::max(0, x - kNear); u <= std::min(image.width() - 1, x + kNear); ++u) {
            if (std::isfinite(image.at(u, v))) {
                sum += image.at(u, v);
                ++count;
            }
        }
    }
    return count < 5 ? frame::kNoValue : sum / static_cast<float>(count);
}

frame::Image reducedPlane(const frame::Image& plane, int width, int height) {
    frame::Image small(width, height);
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        const int y0 = static_cast<int>(static_cast<long>(y) * plane.height() / height);
        const int y1 =
            std::max(y0 + 1, static_cast<int>(static_cast<long>(y + 1) * plane.height() / height));
        for (int x = 0; x < width; ++x) {
            const int x0 = static_cast<int>(static_cast<long>(x) * plane.width() / width);
            const int x1 = std::max(
                x0 + 1, static_cast<int>(static_cast<long>(x + 1) * plane.width() / width));
            float sum = 0.0F;
            for (int v = y0; v < y1; ++v) {
                for (int u = x0; u < x1; ++u) {
                    sum += plane.at(u, v);
                }
            }
            small.at(x, y) = sum / static_cast<float>((y1 - y0) * (x1 - x0));
        }
    });
    return small;
}

} // namespace

void fillGaps(frame::Image& image, int reach, float beyond) {
    std::vector<std::size_t> gaps;
    for (std::size_t k = 0; k < image.pixels().size(); ++k) {
        if (!std::isfinite(image.pixels()[k])) {
            gaps.push_back(k);
        }
    }
    for (int round = 0; round < reach && !gaps.empty(); ++round) {
        std::vector<std::pair<std::size_t, float>> filled;
        std::vector<std::size_t> left;
        for (const std::size_t k : gaps) {
            const auto width = static_cast<std::size_t>(image.width());
            const float value =
                meanAround(image, static_cast<int>(k % width), static_cast<int>(k / width));
            if (std::isfinite(value)) {
                filled.emplace_back(k, value);
            } else {
                left.push_back(k);
            }
        }
        if (filled.empty()) {
            break;
        }
        for (const auto& [k, value] : filled) {
            image.pixels()[k] = value;
        }
        gaps = std::move(left);
    }
    for (const std::size_t k : gaps) {
        image.pixels()[k] = beyond;
    }
}

Ground groundOf(const ColourPicture& picture) {
    std::vector<float> values;
    const std::size_t count = picture.planes[0].pixels().size();
    const std::size_t step = std::max<std::size_t>(1, count / 400000);
    for (std::size_t k = 0; k < count; k += step) {
        const float v = picture.intensity(k);
        if (std::isfinite(v) && v != 0.0F) { // what no frame shows is 0
            values.push_back(v);
        }
    }
    if (values.empty()) {
        return {0.0, 1.0};
    }
    const RobustMoments moments = clippedMoments(std::span(values), 2.5);
    return {moments.centre, std::max(1e-6, moments.sigma)};
}

ColourPicture reducedTo(const ColourPicture& picture, int width) {
    if (width >= picture.width() || width < 1) {
        return picture;
    }
    const int height = std::max(1,
                                static_cast<int>(std::lround(static_cast<double>(picture.height()) *
                                                             width / picture.width())));
    ColourPicture small;
    small.isGrey = picture.isGrey;
    for (std::size_t c = 0; c < 3; ++c) {
        small.planes[c] = reducedPlane(picture.planes[c], width, height);
    }
    return small;
}

} // namespace pathmark::picture
