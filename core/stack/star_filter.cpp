#include "core/stack/star_filter.h"

#include <algorithm>
#include <cmath>

namespace pathmark::stack {

StarFilter StarFilter::of(const detect::Moffat& star) {
    constexpr double kReachWidths = 1.7;
    constexpr int kParts = 5; ///< of a pixel along each axis
    StarFilter filter;
    filter.half = std::max(3, static_cast<int>(std::ceil(kReachWidths * star.fwhm())));
    for (int y = -filter.half; y <= filter.half; ++y) {
        for (int x = -filter.half; x <= filter.half; ++x) {
            double sum = 0.0;
            for (int k = 0; k < kParts * kParts; ++k) {
                const int column = k % kParts;
                const int row = k / kParts;
                sum +=
                    star.value(x + (column + 0.5) / kParts - 0.5, y + (row + 0.5) / kParts - 0.5);
            }
            const double mean = sum / (kParts * kParts);
            filter.light.push_back(static_cast<float>(mean));
            filter.square.push_back(static_cast<float>(mean * mean));
        }
    }
    return filter;
}

} // namespace pathmark::stack
