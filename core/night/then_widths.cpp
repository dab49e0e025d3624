#include "core/night/then_widths.h"

#include "core/base/robust.h"
#include "core/detect/detect.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace pathmark::night {
namespace {

/// How broad a star is in the picture of then, pixels at half of its peak: where the rings about it fall to half of its middle. Nothing
/// where it does not stand out.
std::optional<double> widthAt(const frame::Image& image, const frame::PixelPos& star) {
    constexpr int reach = 30;
    const int column = static_cast<int>(std::lround(star.x));
    const int row = static_cast<int>(std::lround(star.y));
    if (column < reach || row < reach || column >= image.width() - reach ||
        row >= image.height() - reach) {
        return std::nullopt;
    }
    std::vector<std::vector<double>> rings(reach);
    for (int y = row - reach; y <= row + reach; ++y) {
        for (int x = column - reach; x <= column + reach; ++x) {
            const auto ring = static_cast<std::size_t>(std::hypot(x - star.x, y - star.y));
            if (const float value = image.at(x, y); ring < rings.size() && std::isfinite(value)) {
                rings[ring].push_back(static_cast<double>(value));
            }
        }
    }
    std::vector<double> profile;
    for (auto& ring : rings) {
        if (ring.empty()) {
            return std::nullopt;
        }
        profile.push_back(medianInPlace(std::span(ring)));
    }
    const double sky = profile.back();
    const double half = 0.5 * (profile.front() - sky);
    for (std::size_t r = 1; half > 0.0 && r < profile.size(); ++r) {
        if (profile[r] - sky < half) {
            const double step = (profile[r - 1] - sky - half) / (profile[r - 1] - profile[r]);
            return 2.0 * (static_cast<double>(r) - 0.5 + step);
        }
    }
    return std::nullopt;
}

} // namespace

double starWidth(const frame::Image& then, std::vector<SourceRecord> sources, double otherwise) {
    constexpr std::size_t most = 40;
    std::erase_if(sources, [](const SourceRecord& s) {
        return (s.flags & (detect::kSaturated | detect::kSharp)) != 0;
    });
    std::sort(sources.begin(), sources.end(), [](const auto& a, const auto& b) {
        return a.flux > b.flux;
    });
    std::vector<double> widths;
    for (std::size_t i = 0; i < std::min(most, sources.size()); ++i) {
        if (const auto width = widthAt(then, sources[i].pixel)) {
            widths.push_back(*width);
        }
    }
    return widths.empty() ? otherwise : medianInPlace(std::span(widths));
}

} // namespace pathmark::night
