#include "core/calibrate/noise.h"

#include "core/base/robust.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/open_frame.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

namespace pathmark::calibrate {
namespace {

constexpr int kBlock = 64;
constexpr std::size_t kPairs = 4;

/// Two frames of a group, and what a block of pixels of theirs says.
struct Pair {
    frame::Image first;
    frame::Image second;
};

Result<std::vector<Pair>> readPairs(const FrameGroup& group) {
    std::vector<Pair> pairs;
    for (std::size_t i = 0; i + 1 < group.frames.size() && pairs.size() < kPairs; i += 2) {
        auto first = frame::readFrame(group.frames[i].path);
        if (!first) {
            return fail(first.error());
        }
        auto second = frame::readFrame(group.frames[i + 1].path);
        if (!second) {
            return fail(second.error());
        }
        pairs.push_back({std::move(first->image), std::move(second->image)});
    }
    return pairs;
}

/// Calls `visit` with the corner of blocks all over the frame, at most about 256 of them: that many tell the
/// gain to a fraction of a percent. `step` keeps to pixels of one colour.
template <typename Visit>
void overBlocks(const frame::Image& image, int step, const Visit& visit) {
    const int side = std::min({kBlock * step, image.width(), image.height()});
    const int columns = image.width() / side;
    const int rows = image.height() / side;
    const int stride = std::max(1, static_cast<int>(std::sqrt(columns * rows / 256.0)));
    for (int row = stride / 2; row < rows; row += stride) {
        for (int column = stride / 2; column < columns; column += stride) {
            visit(column * side, row * side, side);
        }
    }
}

template <typename Value>
RobustMoments blockMoments(int x0, int y0, int side, int step, const Value& value) {
    std::vector<float> values;
    values.reserve(static_cast<std::size_t>(kBlock * kBlock));
    for (int y = y0; y < y0 + side; y += step) {
        for (int x = x0; x < x0 + side; x += step) {
            values.push_back(value(x, y));
        }
    }
    return clippedMoments(values, 5.0);
}

struct Bias {
    double level = 0.0;
    double variance = 0.0; ///< ADU squared, of one frame
};

Bias measureBias(const std::vector<Pair>& pairs, int step) {
    std::vector<double> variances;
    std::vector<double> levels;
    for (const Pair& pair : pairs) {
        overBlocks(pair.first, step, [&](int x, int y, int side) {
            const auto difference = blockMoments(x, y, side, step, [&](int i, int j) {
                return pair.first.at(i, j) - pair.second.at(i, j);
            });
            variances.push_back(0.5 * difference.sigma * difference.sigma);
            levels.push_back(blockMoments(x, y, side, step, [&](int i, int j) {
                                 return pair.first.at(i, j);
                             }).centre);
        });
    }
    Bias bias;
    bias.variance = medianInPlace(std::span(variances));
    bias.level = medianInPlace(std::span(levels));
    return bias;
}

} // namespace

Result<MeasuredNoise> measureNoise(const FrameGroup& flats, const FrameGroup& biases) {
    if (flats.frames.size() < 2 || biases.frames.size() < 2) {
        return fail(
            ErrorId::CalibrateNoFrames,
            "Gain and read noise need two flats and two biases; or state them in the recipe.");
    }
    const auto flatPairs = readPairs(flats);
    if (!flatPairs) {
        return fail(flatPairs.error());
    }
    const auto biasPairs = readPairs(biases);
    if (!biasPairs) {
        return fail(biasPairs.error());
    }
    const auto pattern = frame::ColourPattern::of(flats.example.bayerPattern);
    const int step = pattern ? pattern->side() : 1;
    const Bias bias = measureBias(*biasPairs, step);
    const Pair& zero = biasPairs->front();
    std::vector<double> gains;
    for (const Pair& pair : *flatPairs) {
        overBlocks(pair.first, step, [&](int x, int y, int side) {
            // The bias of the block itself where the frames are of one size: columns and ramps go.
            const bool local = zero.first.width() == pair.first.width() &&
                               zero.first.height() == pair.first.height();
            const double under =
                local
                    ? 0.5 *
                          (blockMoments(
                               x, y, side, step, [&](int i, int j) { return zero.first.at(i, j); })
                               .centre +
                           blockMoments(
                               x, y, side, step, [&](int i, int j) { return zero.second.at(i, j); })
                               .centre)
                    : bias.level;
            const double s1 =
                blockMoments(x, y, side, step, [&](int i, int j) { return pair.first.at(i, j); })
                    .centre -
                under;
            const double s2 =
                blockMoments(x, y, side, step, [&](int i, int j) { return pair.second.at(i, j); })
                    .centre -
                under;
            if (s1 <= 0.0 || s2 <= 0.0) {
                return;
            }
            const double r = s1 / s2;
            // The bias's own pattern does not scale with r: it is taken off first where it can be.
            const auto difference = blockMoments(x, y, side, step, [&](int i, int j) {
                return pair.first.at(i, j) - static_cast<float>(under) -
                       static_cast<float>(r) * (pair.second.at(i, j) - static_cast<float>(under));
            });
            // var = s1 / g + r^2 s2 / g + (1 + r^2) read = s1 (1 + r) / g + (1 + r^2) read
            const double photon =
                difference.sigma * difference.sigma - (1.0 + r * r) * bias.variance;
            if (photon > 0.0) {
                gains.push_back(s1 * (1.0 + r) / photon);
            }
        });
    }
    if (gains.empty()) {
        return fail(ErrorId::CalibrateNoFrames,
                    "The flats hold no signal to measure the gain from; state it in the recipe.");
    }
    const double gain = medianInPlace(std::span(gains));
    return MeasuredNoise{gain, gain * std::sqrt(bias.variance)};
}

std::vector<std::string> noiseDisagreements(const MeasuredNoise& measured,
                                            std::optional<double> statedGain,
                                            std::optional<double> statedReadNoise) {
    std::vector<std::string> sentences;
    if (statedGain && std::abs(*statedGain / measured.electronsPerAdu - 1.0) > 0.15) {
        sentences.push_back(fmt::format(
            "The gain is given as {:.3f} e-/ADU, but flats and biases say {:.3f}. If the "
            "camera's settings changed, state gain_e_per_adu in the recipe.",
            *statedGain,
            measured.electronsPerAdu));
    }
    if (statedReadNoise && std::abs(*statedReadNoise / measured.readNoiseElectrons - 1.0) > 0.3) {
        sentences.push_back(
            fmt::format("The read noise is given as {:.2f} e-, but the biases say {:.2f}. State "
                        "read_noise_e in the recipe if you know better.",
                        *statedReadNoise,
                        measured.readNoiseElectrons));
    }
    return sentences;
}

} // namespace pathmark::calibrate
