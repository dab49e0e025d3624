#include "core/calibrate/noise.h"

#include "core/base/robust.h"
#include "core/frame/fits_file.h"

#include <cmath>
#include <vector>

namespace pathmark::calibrate {
namespace {

constexpr int kBlock = 64;

struct BlockMoments {
    double mean = 0.0;
    double sigma = 0.0;
};

template <typename Value>
BlockMoments blockMoments(int x0, int y0, const Value& value) {
    std::vector<float> values;
    values.reserve(kBlock * kBlock);
    for (int y = y0; y < y0 + kBlock; ++y) {
        for (int x = x0; x < x0 + kBlock; ++x) {
            values.push_back(value(x, y));
        }
    }
    const RobustMoments moments = clippedMoments(values, 4.0);
    return {moments.centre, moments.sigma};
}

} // namespace

Result<MeasuredNoise> measureNoise(const FrameGroup& flats, const FrameGroup& biases) {
    if (flats.frames.size() < 2 || biases.frames.size() < 2) {
        return fail(
            ErrorId::CalibrateNoFrames,
            "Gain and read noise need two flats and two biases; or state them in the recipe.");
    }
    std::vector<frame::Image> images;
    for (const auto* info :
         {&flats.frames[0], &flats.frames[1], &biases.frames[0], &biases.frames[1]}) {
        auto loaded = frame::readFits(info->path);
        if (!loaded) {
            return fail(loaded.error());
        }
        images.push_back(std::move(loaded->image));
    }
    const frame::Image& f1 = images[0];
    const frame::Image& f2 = images[1];
    const frame::Image& b1 = images[2];
    const frame::Image& b2 = images[3];
    std::vector<double> gains;
    std::vector<double> readVariances;
    for (int y = 0; y + kBlock <= f1.height(); y += kBlock) {
        for (int x = 0; x + kBlock <= f1.width(); x += kBlock) {
            const auto bias = blockMoments(x, y, [&](int i, int j) { return b1.at(i, j); });
            const auto biasPair =
                blockMoments(x, y, [&](int i, int j) { return b1.at(i, j) - b2.at(i, j); });
            const double s1 =
                blockMoments(x, y, [&](int i, int j) { return f1.at(i, j); }).mean - bias.mean;
            const double s2 =
                blockMoments(x, y, [&](int i, int j) { return f2.at(i, j); }).mean - bias.mean;
            if (s1 <= 0.0 || s2 <= 0.0) {
                continue;
            }
            const double r = s1 / s2;
            const auto pair = blockMoments(x, y, [&](int i, int j) {
                return f1.at(i, j) - static_cast<float>(r) * f2.at(i, j);
            });
            const double readVariance = 0.5 * biasPair.sigma * biasPair.sigma;
            // var = s1/g + r^2 s2/g + (1 + r^2) read = s1 (1 + r)/g + (1 + r^2) read
            const double photon = pair.sigma * pair.sigma - (1.0 + r * r) * readVariance;
            if (photon > 0.0) {
                gains.push_back(s1 * (1.0 + r) / photon);
                readVariances.push_back(readVariance);
            }
        }
    }
    if (gains.empty()) {
        return fail(ErrorId::CalibrateNoFrames,
                    "The flats hold no signal to measure the gain from; state it in the recipe.");
    }
    const double gain = medianInPlace(std::span(gains));
    return MeasuredNoise{gain, gain * std::sqrt(medianInPlace(std::span(readVariances)))};
}

} // namespace pathmark::calibrate
