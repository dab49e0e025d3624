#include "core/detect/without_stars.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <vector>

namespace pathmark::detect {
namespace {

/// As few levels as a frame cut to a few bits has in its sky and its stars.
constexpr std::size_t kFewLevels = 12;

struct Pixels {
    std::vector<float> values; ///< finite ones of a sample, sorted
    double undefinedShare = 0.0;
};

Pixels sampleOf(const frame::Image& image) {
    Pixels sample;
    const auto all = image.pixels();
    const std::size_t step = std::max<std::size_t>(1, all.size() / 100000);
    std::size_t seen = 0;
    for (std::size_t i = 0; i < all.size(); i += step) {
        ++seen;
        if (std::isfinite(all[i])) {
            sample.values.push_back(all[i]);
        }
    }
    std::sort(sample.values.begin(), sample.values.end());
    sample.undefinedShare = 1.0 - static_cast<double>(sample.values.size()) /
                                      static_cast<double>(std::max<std::size_t>(1, seen));
    return sample;
}

double shareAtTop(const std::vector<float>& sorted, float top) {
    const auto first = std::lower_bound(sorted.begin(), sorted.end(), top);
    return static_cast<double>(sorted.end() - first) / static_cast<double>(sorted.size());
}

} // namespace

std::string withoutStars(const frame::Image& image, const std::optional<double>& saturation) {
    const Pixels sample = sampleOf(image);
    if (sample.values.empty()) {
        return "No pixel has a value; the file is damaged, or everything was taken for a defect.";
    }
    const float low = sample.values.front();
    const float high = sample.values.back();
    if (low == high) {
        return fmt::format(
            "Every pixel is {:g}; the frame was not read out, or it is saturated all "
            "over.",
            low);
    }
    const float top = saturation ? std::min(high, static_cast<float>(*saturation)) : high;
    if (const double share = shareAtTop(sample.values, top); share > 0.3) {
        return fmt::format(
            "{:.0f} % of the pixels are saturated (at {:g}); take a shorter exposure.",
            100.0 * share,
            top);
    }
    const std::set<float> levels(sample.values.begin(), sample.values.end());
    if (levels.size() <= kFewLevels) {
        return fmt::format("The pixels have only {} different values; the frame was cut to a few "
                           "bits and holds no stars that can be measured.",
                           levels.size());
    }
    if (sample.undefinedShare > 0.005) {
        return fmt::format(
            "Fewer than three clear stars, and {:.1f} % of the pixels have no value; "
            "the file or the masters may be damaged.",
            100.0 * sample.undefinedShare);
    }
    return "Fewer than three clear stars; the frame may be clouded, out of focus or no picture of "
           "the sky.";
}

} // namespace pathmark::detect
