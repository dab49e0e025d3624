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

Result<Pair> readPair(const FrameGroup& group, std::size_t index) {
    auto first = frame::readFrame(group.frames[2 * index].path);
    if (!first) {
        return fail(first.error());
    }
    auto second = frame::readFrame(group.frames[2 * index + 1].path);
    if (!second) {
        return fail(second.error());
    }
    return Pair{std::move(first->image), std::move(second->image)};
}

std::size_t pairCount(const FrameGroup& group) {
    return std::min(kPairs, group.frames.size() / 2);
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

/// Of all pairs of biases, `zero` being the first.
Result<Bias> measureBias(const FrameGroup& biases, const Pair& zero, int step) {
    std::vector<double> variances;
    std::vector<double> levels;
    for (std::size_t i = 0; i < pairCount(biases); ++i) {
        Pair other;
        if (i > 0) {
            auto read = readPair(biases, i);
            if (!read) {
                return fail(read.error());
            }
            other = std::move(*read);
        }
        const Pair& pair = i == 0 ? zero : other;
        overBlocks(pair.first, step, [&](int x, int y, int side) {
            const auto difference = blockMoments(x, y, side, step, [&](int u, int v) {
                return pair.first.at(u, v) - pair.second.at(u, v);
            });
            variances.push_back(0.5 * difference.sigma * difference.sigma);
            levels.push_back(blockMoments(x, y, side, step, [&](int u, int v) {
                                 return pair.first.at(u, v);
                             }).centre);
        });
    }
    Bias bias;
    bias.variance = medianInPlace(std::span(variances));
    bias.level = medianInPlace(std::span(levels));
    return bias;
}

/// Adds what the blocks of a pair of flats say of the gain.
void addGains(
    const Pair& pair, const Pair& zero, const Bias& bias, int step, std::vector<double>& gains) {
    // The bias of the block itself where the frames are of one size: columns and ramps go.
    const bool local =
        zero.first.width() == pair.first.width() && zero.first.height() == pair.first.height();
    overBlocks(pair.first, step, [&](int x, int y, int side) {
        const auto level = [&](const frame::Image& image) {
            return blockMoments(x, y, side, step, [&](int i, int j) { return image.at(i, j); })
                .centre;
        };
        const double under = local ? 0.5 * (level(zero.first) + level(zero.second)) : bias.level;
        const double s1 = level(pair.first) - under;
        const double s2 = level(pair.second) - under;
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
        const double photon = difference.sigma * difference.sigma - (1.0 + r * r) * bias.variance;
        if (photon > 0.0) {
            gains.push_back(s1 * (1.0 + r) / photon);
        }
    });
}

} // namespace

Result<MeasuredNoise> measureNoise(const FrameGroup& flats, const FrameGroup& biases) {
    if (flats.frames.size() < 2 || biases.frames.size() < 2) {
        return fail(
            ErrorId::CalibrateNoFrames,
            "Gain and read noise need two flats and two biases; or state them in the recipe.");
    }
    const auto pattern = frame::ColourPattern::of(flats.example.bayerPattern);
    const int step = pattern ? pattern->side() : 1;
    const auto zero = readPair(biases, 0);
    const auto bias = zero ? measureBias(biases, *zero, step) : fail(zero.error());
    if (!bias) {
        return fail(bias.error());
    }
    std::vector<double> gains;
    for (std::size_t i = 0; i < pairCount(flats); ++i) {
        const auto pair = readPair(flats, i);
        if (!pair) {
            return fail(pair.error());
        }
        addGains(*pair, *zero, *bias, step, gains);
    }
    if (gains.empty()) {
        return fail(ErrorId::CalibrateNoFrames,
                    "The flats hold no signal to measure the gain from; state it in the recipe.");
    }
    const double gain = medianInPlace(std::span(gains));
    return MeasuredNoise{gain, gain * std::sqrt(bias->variance)};
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
