#include "core/combine/combine.h"

#include "core/base/names.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/combine/kernels.h"
#include "core/frame/row_series.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>
#include <numbers>
#include <utility>

namespace pathmark::combine {
namespace {

constexpr std::size_t kBandBytes = 96U << 20U;
constexpr std::size_t kBlock = 4096; ///< pixels of one worker at a time

constexpr std::array kNames{
    std::pair{Combination::Mean, "mean"},
    std::pair{Combination::Median, "median"},
    std::pair{Combination::SigmaClip, "sigma-clip"},
    std::pair{Combination::WinsorisedClip, "winsorised-clip"},
    std::pair{Combination::PercentileClip, "percentile-clip"},
    std::pair{Combination::LineClip, "line-clip"},
};

bool clips(Combination combination) {
    return combination == Combination::SigmaClip || combination == Combination::WinsorisedClip ||
           combination == Combination::LineClip;
}

/// One band of rows of every frame, and its combination.
class Band {
  public:
    Band(frame::RowSeries& series, const CombineRule& rule, const PreparePixels& prepare)
        : series_(series), rule_(rule), prepare_(prepare) {}

    Result<bool> read(int firstRow, int rows) {
        pixels_ = static_cast<std::size_t>(series_.width()) * static_cast<std::size_t>(rows);
        firstPixel_ =
            static_cast<std::size_t>(series_.width()) * static_cast<std::size_t>(firstRow);
        values_.resize(series_.size() * pixels_);
        std::optional<Error> error;
        std::mutex guard;
        parallelFor(series_.size(), [&](std::size_t f) {
            const auto rowsOf = std::span(values_).subspan(f * pixels_, pixels_);
            if (auto read = series_.rows(f, firstRow, rowsOf); !read) {
                const std::scoped_lock lock(guard);
                error = read.error();
            } else if (prepare_) {
                prepare_(f, firstPixel_, rowsOf);
            }
        });
        return error ? Result<bool>(fail(*error)) : Result<bool>(true);
    }

    void combine(CombinedImage& into) {
        CombineRule rule = rule_;
        if (clips(rule.combination) && rule.floorSigma == 0.0) {
            rule.floorSigma = 0.9 * typicalScatter();
        }
        const std::size_t frames = series_.size();
        parallelFor((pixels_ + kBlock - 1) / kBlock, [&](std::size_t part) {
            const std::size_t first = part * kBlock;
            const std::size_t count = std::min(kBlock, pixels_ - first);
            std::vector<const float*> rows(frames);
            for (std::size_t f = 0; f < frames; ++f) {
                rows[f] = values_.data() + f * pixels_ + first;
            }
            std::vector<float> variance(count);
            const std::size_t at = firstPixel_ + first;
            combineColumns(rows, rule, into.value.pixels().subspan(at, count), variance);
            if (!into.variance.empty()) {
                std::copy(variance.begin(),
                          variance.end(),
                          into.variance.pixels().begin() + static_cast<std::ptrdiff_t>(at));
            }
        });
    }

  private:
    /// The usual scatter of a pixel through the frames, from a sample of this band.
    [[nodiscard]] double typicalScatter() const {
        std::vector<double> scatters;
        const std::size_t step = std::max<std::size_t>(1, pixels_ / 500);
        for (std::size_t i = 0; i < pixels_; i += step) {
            std::vector<double> values;
            for (std::size_t f = 0; f < series_.size(); ++f) {
                const float v = values_[f * pixels_ + i];
                if (std::isfinite(v)) {
                    values.push_back(static_cast<double>(v));
                }
            }
            if (values.size() >= 3) {
                scatters.push_back(medianAndDeviation(std::move(values)).sigma);
            }
        }
        return scatters.empty() ? 0.0 : medianInPlace(std::span(scatters));
    }

    frame::RowSeries& series_;
    const CombineRule& rule_;
    const PreparePixels& prepare_;
    std::size_t pixels_ = 0;
    std::size_t firstPixel_ = 0;
    std::vector<float> values_;
};

} // namespace

const char* name(Combination combination) {
    return nameIn(kNames, combination);
}

std::optional<Combination> combinationNamed(std::string_view text) {
    const auto named = valueNamed(kNames, text);
    return named ? named : valueNamed(kNames, std::string(text) + "-clip");
}

std::string combinationNames() {
    std::string list;
    for (const auto& [combination, known] : kNames) {
        list += (list.empty() ? "" : ", ") + std::string(known);
    }
    return list;
}

double varianceFactor(const CombineRule& rule, std::size_t count) {
    const auto n = static_cast<double>(count);
    if (count < 3) {
        return 1.0; // all combinations are the mean then
    }
    if (rule.combination == Combination::Median) {
        return std::numbers::pi * n / (2.0 * n + std::numbers::pi - 2.0);
    }
    if (rule.combination != Combination::PercentileClip) {
        return 1.0; // clips leave good values alone
    }
    const double share = std::floor(rule.share * n) / n;
    const double z = normalQuantile(1.0 - share);
    const double density = std::exp(-0.5 * z * z) / std::sqrt(2.0 * std::numbers::pi);
    const double winsorised = 1.0 - 2.0 * share - 2.0 * z * density + 2.0 * share * z * z;
    return share > 0.0 ? winsorised / std::pow(1.0 - 2.0 * share, 2) : 1.0;
}

CombinationChoice chooseCombination(int frameCount) {
    const auto because = [&](const char* why) {
        return fmt::format("{} frames: {}", frameCount, why);
    };
    if (frameCount < 3) {
        return {Combination::Mean, because("too few to tell an outlier, so the plain mean")};
    }
    if (frameCount < 5) {
        return {Combination::Median, because("too few to measure a scatter, so the median")};
    }
    if (frameCount < 12) {
        return {
            Combination::WinsorisedClip,
            because(
                "the scatter of so few needs outliers drawn in before it is measured, so they are "
                "clipped against the winsorised scatter and the rest averaged")};
    }
    return {Combination::SigmaClip,
            because("enough to see outliers plainly, so they are clipped and the rest averaged")};
}

Result<CombinedImage> combineFiles(std::span<const std::filesystem::path> files,
                                   const CombineRule& rule,
                                   const PreparePixels& prepare,
                                   const Job& job) {
    if (files.empty()) {
        return fail(ErrorId::CalibrateNoFrames, "There is nothing to combine.");
    }
    auto series = frame::RowSeries::open(files, job);
    if (!series) {
        return fail(series.error());
    }
    const int width = series->width();
    const int height = series->height();
    const std::size_t rowBytes = static_cast<std::size_t>(width) * sizeof(float) * files.size();
    const int rows = std::clamp(static_cast<int>(kBandBytes / rowBytes), 1, height);
    CombinedImage result{frame::Image(width, height), {}};
    if (files.size() > 1) {
        result.variance = frame::Image(width, height);
    }
    Band band(*series, rule, prepare);
    for (int first = 0; first < height; first += rows) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        if (auto read = band.read(first, std::min(rows, height - first)); !read) {
            return fail(read.error());
        }
        band.combine(result);
    }
    return result;
}

} // namespace pathmark::combine
