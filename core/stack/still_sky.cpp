#include "core/stack/still_sky.h"

#include "core/base/parallel.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/stack/connected_light.h"
#include "core/stack/convolution.h"
#include "core/stack/matching_kernel.h"
#include "core/stack/sky_levels.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::stack {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kLeastFrames = 4;
constexpr double kLeastWidths = 1.5;
constexpr double kTailRadii = 5.0;  ///< of a coma, as far as its tail is looked for
constexpr double kBodyWidths = 3.0; ///< FWHM about the target that never become sky
constexpr int kBlock = 64;          ///< pixels over which the kernel is one
constexpr int kCellsX = 8;          ///< stars for the kernel are taken from all over the frame
constexpr int kCellsY = 6;
constexpr std::size_t kMostInCell = 3;
constexpr double kLeastPeak = 30.0;       ///< sigma of a star that tells of the kernel
constexpr double kMostOfSaturation = 0.6; ///< of a star whose form can be trusted

/// Works through a series.
class Removal {
  public:
    Removal(const MovingSeries& series, const fs::path& folder, const Job& job)
        : series_(series), folder_(folder), job_(job) {}

    Result<WithoutStillSky> make();

  private:
    [[nodiscard]] double fwhmPixels(std::size_t i) const {
        const StackFrame& frame = series_.frames[i];
        return frame.fwhm > 0.0 ? frame.fwhm / frame.place.wcs.scaleArcsec() : 3.0;
    }

    [[nodiscard]] std::optional<frame::PixelPos> targetIn(std::size_t i) const {
        if (series_.targets.empty()) {
            return std::nullopt;
        }
        return series_.frames[i].place.wcs.toPixel(series_.targets[i]);
    }

    [[nodiscard]] bool hasComa() const {
        return std::any_of(series_.frames.begin(), series_.frames.end(), [](const StackFrame& f) {
            return !f.protect.empty();
        });
    }

    [[nodiscard]] fs::path fileOf(std::size_t i, const char* what) const {
        return folder_ / fmt::format("{}_{:04}.fits", what, i);
    }

    [[nodiscard]] double bodyRadius(std::size_t i) const;
    Result<bool> checkMotion() const;
    Result<std::vector<StackFrame>> withoutComa();
    Result<bool> addStars(std::vector<StackFrame> frames);
    Result<bool> takeOut(std::size_t i, WithoutStillSky& result) const;
    [[nodiscard]] std::vector<MatchingKernel::Stamp>
    stampsOf(const frame::Image& picture, const frame::Image& model, std::size_t i, int half) const;

    const MovingSeries& series_;
    const fs::path& folder_;
    const Job& job_;
    Stack stars_;
    PixelGrid grid_;
};

/// The target's own light, drawn out by what it moves: at most as far as from frame to frame.
double Removal::bodyRadius(std::size_t i) const {
    const double way = separation(series_.targets.front(), series_.targets.back()).arcsec() /
                       series_.frames[i].place.wcs.scaleArcsec();
    const double own = ownLightRadius(way, fwhmPixels(i));
    const std::size_t other = i + 1 < series_.targets.size() ? i + 1 : i - 1;
    const auto here = targetIn(i);
    const auto there = series_.frames[i].place.wcs.toPixel(series_.targets[other]);
    if (!here || !there) {
        return own;
    }
    return own + std::min(0.5 * std::hypot(there->x - here->x, there->y - here->y), 2.0 * own);
}

Result<bool> Removal::checkMotion() const {
    if (series_.frames.size() < kLeastFrames) {
        return fail(ErrorId::StackNoFrames,
                    fmt::format("The unmoving sky is told from {} frames or more; there are {}.",
                                kLeastFrames,
                                series_.frames.size()));
    }
    if (series_.targets.empty()) {
        return true;
    }
    double farthest = 0.0;
    for (const SkyPos& target : series_.targets) {
        farthest = std::max(farthest, separation(series_.targets.front(), target).arcsec());
    }
    const double width = 2.0 * fwhmPixels(0) * series_.frames.front().place.wcs.scaleArcsec();
    if (farthest < width) {
        return fail(ErrorId::StackNoFrames,
                    fmt::format("The target moves by {:.1f} arcsec over these frames, less than "
                                "twice the width of a star: it cannot be told from what stands "
                                "still. Take frames over a longer time.",
                                farthest));
    }
    return true;
}

/// The frames less the coma that a stack on its motion shows, in files of their own.
Result<std::vector<StackFrame>> Removal::withoutComa() {
    const std::size_t middle = series_.targets.size() / 2;
    const SkyPos origin = series_.targets[middle];
    std::vector<StackFrame> onComet(series_.frames.begin(), series_.frames.end());
    double radius = 0.0;
    for (std::size_t i = 0; i < onComet.size(); ++i) {
        onComet[i].place.shift = toTangentPlane(origin, series_.targets[i]);
        for (const auto& disc : onComet[i].protect) {
            radius = std::max(radius, disc.radius);
        }
    }
    const double longest = std::max(series_.sizes[0].width, series_.sizes[0].height);
    const double reach = std::min(kTailRadii * radius, std::max(1.3 * radius, 0.7 * longest));
    const int side = 2 * static_cast<int>(std::ceil(reach)) + 1;
    const PixelGrid grid = gridAround(origin, onComet.front().place.wcs, side, side);
    auto coma = stackFrames(onComet, grid, {}, job_);
    if (!coma) {
        return fail(coma.error());
    }
    keepConnectedLight(coma->image, 1.3 * radius);
    std::vector<StackFrame> frames(series_.frames.begin(), series_.frames.end());
    for (std::size_t i = 0; i < frames.size(); ++i) {
        auto loaded = frame::readFrame(frames[i].path);
        if (!loaded) {
            return fail(loaded.error());
        }
        ImageSource source(coma->image);
        const auto drawn = resample(source,
                                    toGrid(onComet[i].place, grid),
                                    {0, 0, series_.sizes[i].width, series_.sizes[i].height},
                                    {});
        if (!drawn) {
            return fail(drawn.error());
        }
        const auto scale = static_cast<float>(1.0 / frames[i].fluxScale);
        const auto light = drawn->pixels();
        const auto pixels = loaded->image.pixels();
        for (std::size_t k = 0; k < pixels.size(); ++k) {
            pixels[k] -= std::isfinite(light[k]) ? scale * light[k] : 0.0F;
        }
        frames[i].path = fileOf(i, "coma");
        frames[i].protect.clear();
        if (auto written = frame::writeFits(frames[i].path, loaded->image, {}); !written) {
            return fail(written.error());
        }
    }
    return frames;
}

/// The frames on their stars, the target left out.
Result<bool> Removal::addStars(std::vector<StackFrame> frames) {
    std::vector<FrameOutline> outlines;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (const auto pixel = targetIn(i)) {
            frames[i].leftOut.push_back({*pixel, bodyRadius(i)});
        }
        outlines.push_back({frames[i].place, series_.sizes[i].width, series_.sizes[i].height});
    }
    const frame::PixelPos middle{0.5 * (series_.sizes[0].width - 1),
                                 0.5 * (series_.sizes[0].height - 1)};
    auto grid = series_.grid ? Result<PixelGrid>(*series_.grid)
                             : canvasFor(outlines, frames.front().place.wcs.toSky(middle), {});
    if (!grid) {
        return fail(grid.error());
    }
    auto stars = stackFrames(frames, *grid, {}, job_);
    if (!stars) {
        return fail(stars.error());
    }
    grid_ = *grid;
    stars_ = std::move(*stars);
    return true;
}

/// Bright unsaturated stars of the model from all over the frame.
std::vector<frame::PixelPos>
starsOf(const frame::Image& model, double least, double most, int margin) {
    struct Peak {
        float value;
        int x;
        int y;
    };

    std::vector<frame::PixelPos> stars;
    const int width = model.width();
    const int height = model.height();
    for (int cell = 0; cell < kCellsX * kCellsY; ++cell) {
        const int x0 = std::max(margin, cell % kCellsX * width / kCellsX);
        const int x1 = std::min(width - margin, (cell % kCellsX + 1) * width / kCellsX);
        const int y0 = std::max(margin, cell / kCellsX * height / kCellsY);
        const int y1 = std::min(height - margin, (cell / kCellsX + 1) * height / kCellsY);
        std::vector<Peak> peaks;
        for (int y = y0; y < y1; ++y) {
            for (int x = x0; x < x1; ++x) {
                const float v = model.at(x, y);
                if (static_cast<double>(v) > least && static_cast<double>(v) < most &&
                    v >= model.at(x - 1, y) && v > model.at(x + 1, y) && v >= model.at(x, y - 1) &&
                    v > model.at(x, y + 1)) {
                    peaks.push_back({v, x, y});
                }
            }
        }
        const std::size_t count = std::min(peaks.size(), kMostInCell);
        std::partial_sort(peaks.begin(),
                          peaks.begin() + static_cast<std::ptrdiff_t>(count),
                          peaks.end(),
                          [](const Peak& a, const Peak& b) { return a.value > b.value; });
        for (std::size_t k = 0; k < count; ++k) {
            stars.push_back({static_cast<double>(peaks[k].x), static_cast<double>(peaks[k].y)});
        }
    }
    return stars;
}

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

std::vector<MatchingKernel::Stamp> Removal::stampsOf(const frame::Image& picture,
                                                     const frame::Image& model,
                                                     std::size_t i,
                                                     int half) const {
    const StackFrame& frame = series_.frames[i];
    const int reach = static_cast<int>(std::ceil(2.5 * fwhmPixels(i))) + 2;
    const auto target = targetIn(i);
    double away = target ? bodyRadius(i) + reach : 0.0;
    for (const auto& disc : frame.protect) {
        away = std::max(away, disc.radius);
    }
    std::vector<MatchingKernel::Stamp> stamps;
    for (const auto& star : starsOf(model,
                                    kLeastPeak * frame.noise * frame.fluxScale,
                                    kMostOfSaturation * frame.saturation * frame.fluxScale,
                                    reach + half + 1)) {
        if (target && std::hypot(star.x - target->x, star.y - target->y) < away) {
            continue;
        }
        const int x = static_cast<int>(star.x);
        const int y = static_cast<int>(star.y);
        stamps.push_back(
            {star,
             cutOut(picture, x - reach, y - reach, 2 * reach + 1),
             cutOut(model, x - reach - half, y - reach - half, 2 * (reach + half) + 1)});
    }
    return stamps;
}

/// Takes the model off a picture through the kernel; where that is not to be trusted there is no value left.
void subtractModel(frame::Image& picture,
                   const frame::Image& raw,
                   const frame::Image& model,
                   const MatchingKernel& kernel,
                   const StackFrame& frame) {
    const int half = kernel.half();
    // Beyond the edge, and where nothing is known, nothing is taken off.
    frame::Image padded(picture.width() + 2 * half, picture.height() + 2 * half);
    for (int y = 0; y < picture.height(); ++y) {
        for (int x = 0; x < picture.width(); ++x) {
            const float v = model.at(x, y);
            padded.at(x + half, y + half) = std::isfinite(v) ? v : 0.0F;
        }
    }
    const int columns = (picture.width() + kBlock - 1) / kBlock;
    const int rows = (picture.height() + kBlock - 1) / kBlock;
    const auto most = static_cast<float>(frame.noise / std::max(kernel.mismatch(), 1e-4));
    const auto ceiling = static_cast<float>(std::min(0.95 * frame.saturation, 3e38));
    const auto modelCeiling =
        static_cast<float>(std::min(kMostOfSaturation * frame.saturation * frame.fluxScale, 3e38));
    parallelFor(static_cast<std::size_t>(columns * rows), [&](std::size_t block) {
        const int x0 = static_cast<int>(block) % columns * kBlock;
        const int y0 = static_cast<int>(block) / columns * kBlock;
        const int width = std::min(kBlock, picture.width() - x0);
        const int height = std::min(kBlock, picture.height() - y0);
        const auto here = kernel.at({x0 + 0.5 * width, y0 + 0.5 * height});
        std::vector<float> taken(static_cast<std::size_t>(width));
        for (int y = y0; y < y0 + height; ++y) {
            convolveRow(padded, here, half, x0, y, taken);
            for (int x = x0; x < x0 + width; ++x) {
                const float light = taken[static_cast<std::size_t>(x - x0)];
                const bool isTrusted = light < most && raw.at(x, y) < ceiling &&
                                       model.at(x, y) < modelCeiling; // false for NaN
                picture.at(x, y) = isTrusted ? picture.at(x, y) - light : frame::kNoValue;
            }
        }
    });
}

Result<bool> Removal::takeOut(std::size_t i, WithoutStillSky& result) const {
    StackFrame& frame = result.frames[i];
    auto loaded = frame::readFrame(frame.path);
    if (!loaded) {
        return fail(loaded.error());
    }
    ImageSource whole(loaded->image);
    const auto sky = SkyLevels::measure(whole, frame.protect);
    if (!sky) {
        return fail(sky.error());
    }
    frame::Image picture = loaded->image;
    for (int y = 0; y < picture.height(); ++y) {
        sky->takeOff(y, picture.row(y));
    }
    ImageSource stars(stars_.image);
    const auto model = resample(stars,
                                toGrid(frame.place, grid_),
                                {0, 0, picture.width(), picture.height()},
                                {Kernel::Lanczos3, 0.0});
    if (!model) {
        return fail(model.error());
    }
    MatchingKernel kernel(fwhmPixels(i), picture.width(), picture.height());
    const auto stamps = stampsOf(picture, *model, i, kernel.half());
    result.mismatch[i] = -1.0;
    if (kernel.fit(stamps, frame.noise)) {
        result.mismatch[i] = kernel.mismatch();
        subtractModel(picture, loaded->image, *model, kernel, frame);
        frame.noise = detect::Background(picture).typicalNoise();
    }
    frame.path = fileOf(i, "still");
    return frame::writeFits(frame.path, picture, {});
}

Result<WithoutStillSky> Removal::make() {
    if (auto moves = checkMotion(); !moves) {
        return fail(moves.error());
    }
    std::vector<StackFrame> frames(series_.frames.begin(), series_.frames.end());
    if (hasComa()) {
        auto less = withoutComa();
        if (!less) {
            return fail(less.error());
        }
        frames = std::move(*less);
    }
    if (auto added = addStars(std::move(frames)); !added) {
        return fail(added.error());
    }
    WithoutStillSky result;
    result.frames.assign(series_.frames.begin(), series_.frames.end());
    result.mismatch.resize(series_.frames.size());
    for (std::size_t i = 0; i < result.frames.size(); ++i) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job_.progress("Taking out the unmoving sky",
                      static_cast<int>(i),
                      static_cast<int>(result.frames.size()));
        if (auto done = takeOut(i, result); !done) {
            return fail(done.error());
        }
        std::error_code ignored;
        fs::remove(fileOf(i, "coma"), ignored);
    }
    result.stars = std::move(stars_);
    result.grid = grid_;
    return result;
}

} // namespace

double ownLightRadius(double way, double fwhm) {
    return std::clamp(way / 3.0, kLeastWidths * fwhm, kBodyWidths * fwhm);
}

Result<WithoutStillSky>
takeOutStillSky(const MovingSeries& series, const fs::path& folder, const Job& job) {
    return Removal(series, folder, job).make();
}

} // namespace pathmark::stack
