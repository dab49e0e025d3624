#include "core/stack/kernel_stamps.h"

#include "core/stack/star_subtraction.h"

#include <cmath>

namespace pathmark::stack {
namespace {

constexpr double kLeastPeak = 30.0; ///< sigma of a star that tells of the kernel
constexpr double kFaintPeak = 5.0;  ///< the same where there are few of those
constexpr std::size_t kEnoughStars = 24;

frame::Image cutOut(const frame::Image& image, int x0, int y0, int side) {
    frame::Image part(side, side, frame::kNoValue);
    for (int y = 0; y < side; ++y) {
        for (int x = 0; x < side; ++x) {
            if (image.contains(x0 + x, y0 + y)) {
                part.at(x, y) = image.at(x0 + x, y0 + y);
            }
        }
    }
    return part;
}

} // namespace

std::vector<MatchingKernel::Stamp> kernelStamps(const frame::Image& picture,
                                                const frame::Image& model,
                                                const MatchingKernel& kernel,
                                                const StampStars& stars) {
    const int half = kernel.half();
    const int margin = marginOf(kernel);
    const int reach = static_cast<int>(std::ceil(2.5 * stars.fwhm)) + 2;
    const auto brighterThan = [&](double sigma) {
        return brightStars(model, sigma * stars.noise, stars.most, reach + half + 1 + margin);
    };
    auto places = brighterThan(kLeastPeak);
    if (places.size() < kEnoughStars) {
        places = brighterThan(kFaintPeak);
    }
    std::vector<MatchingKernel::Stamp> stamps;
    for (const auto& shown : places) {
        const frame::PixelPos star{shown.x - margin, shown.y - margin};
        if (stars.isWanted && !stars.isWanted(star)) {
            continue;
        }
        const int x = static_cast<int>(star.x);
        const int y = static_cast<int>(star.y);
        stamps.push_back({star,
                          cutOut(picture, x - reach, y - reach, 2 * reach + 1),
                          cutOut(model,
                                 x - reach - half + margin,
                                 y - reach - half + margin,
                                 2 * (reach + half) + 1)});
    }
    return stamps;
}

} // namespace pathmark::stack
