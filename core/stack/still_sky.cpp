#include "core/stack/still_sky.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/base/try_each.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/stack/connected_light.h"
#include "core/stack/kernel_stamps.h"
#include "core/stack/matching_kernel.h"
#include "core/stack/pixel_kernels.h"
#include "core/stack/significant_light.h"
#include "core/stack/sky_levels.h"
#include "core/stack/star_subtraction.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::stack {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kLeastFrames = 4;
constexpr double kLeastWidths = 1.5;
constexpr double kTailRadii = 5.0; ///< of a coma, as far as its tail is looked for
constexpr double kStarSigma =
    0.3; ///< of a frame's noise: what is brighter is not used to see a coma by
constexpr double kStarNoises = 2.5;    ///< of the stars' own noise, likewise
constexpr double kBodyWidths = 3.0;    ///< FWHM about the target that never become sky
constexpr std::size_t kMostAtOnce = 4; ///< frames; each is held with its stars

/// Works through a series.
class Removal {
  public:
    Removal(const MovingSeries& series, const fs::path& folder, const Job& job)
        : series_(series), frames_(series.frames.begin(), series.frames.end()), folder_(folder),
          job_(job) {}

    Result<WithoutStillSky> make();

  private:
    [[nodiscard]] double fwhmPixels(std::size_t i) const {
        const StackFrame& frame = frames_[i];
        return frame.fwhm > 0.0 ? frame.fwhm / frame.place.wcs.scaleArcsec() : 3.0;
    }

    [[nodiscard]] std::optional<frame::PixelPos> targetIn(std::size_t i) const {
        if (series_.targets.empty()) {
            return std::nullopt;
        }
        return frames_[i].place.wcs.toPixel(series_.targets[i]);
    }

    [[nodiscard]] bool hasComa() const {
        return std::any_of(
            frames_.begin(), frames_.end(), [](const StackFrame& f) { return !f.protect.empty(); });
    }

    [[nodiscard]] fs::path fileOf(std::size_t i, const char* what) const {
        return folder_ / fmt::format("{}_{:04}.fits", what, i);
    }

    [[nodiscard]] static TryEachOptions fewAtOnce(const char* stage = nullptr) {
        return {std::min(threadLimit(), kMostAtOnce), stage};
    }

    [[nodiscard]] double bodyRadius(std::size_t i) const;
    Result<bool> checkMotion() const;
    template <class F>
    Result<fs::path> rewritten(std::size_t i, const char* what, const F& changed) const;
    Result<std::vector<StackFrame>> withoutComa(std::span<const StackFrame> shownBy) const;
    Result<bool> addStars(std::vector<StackFrame> frames);
    Result<bool> addStarsWithoutComa(std::span<const StackFrame> shownBy);
    [[nodiscard]] Result<std::vector<StackFrame>> besideStars() const;
    Result<bool> smoothOut(std::vector<StackFrame>& starless);
    void dropFiles(const char* what) const;
    [[nodiscard]] Result<frame::Image>
    inFrame(const frame::Image& light, std::size_t i, int margin) const;
    [[nodiscard]] double fwhmOnGrid() const;
    Result<WithoutStillSky> takeOutOfAll() const;
    [[nodiscard]] Result<SkyLevels> skyOf(std::size_t i, const frame::Image& whole) const;
    Result<bool> takeOut(std::size_t i, WithoutStillSky& result) const;
    [[nodiscard]] std::vector<MatchingKernel::Stamp> stampsOf(const frame::Image& picture,
                                                              const frame::Image& model,
                                                              std::size_t i,
                                                              const MatchingKernel& kernel) const;

    const MovingSeries& series_;
    std::vector<StackFrame> frames_; ///< of the series, with their skies once those are known
    const fs::path& folder_;
    const Job& job_;
    Stack stars_;
    frame::Image model_;                ///< of them, what is more than noise
    std::vector<StackFrame> starsFrom_; ///< the frames that they were added from
    PixelGrid grid_;
    std::optional<SmoothSkies> skies_;
};

/// The target's own light, drawn out by what it moves: at most as far as from frame to frame.
double Removal::bodyRadius(std::size_t i) const {
    const double way = separation(series_.targets.front(), series_.targets.back()).arcsec() /
                       frames_[i].place.wcs.scaleArcsec();
    const double own = ownLightRadius(way, fwhmPixels(i));
    const std::size_t other = i + 1 < series_.targets.size() ? i + 1 : i - 1;
    const auto here = targetIn(i);
    const auto there = frames_[i].place.wcs.toPixel(series_.targets[other]);
    if (!here || !there) {
        return own;
    }
    return own + std::min(0.5 * std::hypot(there->x - here->x, there->y - here->y), 2.0 * own);
}

Result<bool> Removal::checkMotion() const {
    if (frames_.size() < kLeastFrames) {
        return fail(ErrorId::StackNoFrames,
                    fmt::format("The unmoving sky is told from {} frames or more; there are {}.",
                                kLeastFrames,
                                frames_.size()));
    }
    if (series_.targets.empty()) {
        return true;
    }
    double farthest = 0.0;
    for (const SkyPos& target : series_.targets) {
        farthest = std::max(farthest, separation(series_.targets.front(), target).arcsec());
    }
    const double width = 2.0 * fwhmPixels(0) * frames_.front().place.wcs.scaleArcsec();
    if (farthest < width) {
        return fail(ErrorId::StackNoFrames,
                    fmt::format("The target moves by {:.1f} arcsec over these frames, less than "
                                "twice the width of a star: it cannot be told from what stands "
                                "still. Take frames over a longer time.",
                                farthest));
    }
    return true;
}

/// A frame with its values changed one by one, in a file of its own.
template <class F>
Result<fs::path> Removal::rewritten(std::size_t i, const char* what, const F& changed) const {
    if (job_.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    auto loaded = frame::readFrame(frames_[i].path);
    if (!loaded) {
        return fail(loaded.error());
    }
    const auto pixels = loaded->image.pixels();
    for (std::size_t k = 0; k < pixels.size(); ++k) {
        pixels[k] = changed(pixels[k], k);
    }
    fs::path path = fileOf(i, what);
    auto written = frame::writeFits(path, loaded->image, {});
    return written ? Result<fs::path>(std::move(path)) : fail(written.error());
}

/// The frames less the coma that a stack of `shownBy` on its motion shows, in files of their own.
Result<std::vector<StackFrame>> Removal::withoutComa(std::span<const StackFrame> shownBy) const {
    const std::size_t middle = series_.targets.size() / 2;
    const SkyPos origin = series_.targets[middle];
    std::vector<StackFrame> onComet(shownBy.begin(), shownBy.end());
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
    std::vector<StackFrame> frames = frames_;
    const auto takeOff = [&](std::size_t i) -> Result<bool> {
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
        auto path = rewritten(i, "coma", [&](float pixel, std::size_t k) {
            return std::isfinite(light[k]) ? pixel - scale * light[k] : pixel;
        });
        if (!path) {
            return fail(path.error());
        }
        frames[i].path = std::move(*path);
        frames[i].protect.clear();
        frames[i].isDiffuse = false;
        return true;
    };
    auto taken = tryEach(frames.size(), job_, takeOff, fewAtOnce());
    return taken ? Result<std::vector<StackFrame>>(std::move(frames)) : fail(taken.error());
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
    model_ = significantLight(stars_.image, stars_.variance, fwhmOnGrid());
    starsFrom_ = std::move(frames);
    return true;
}

std::vector<MatchingKernel::Stamp> Removal::stampsOf(const frame::Image& picture,
                                                     const frame::Image& model,
                                                     std::size_t i,
                                                     const MatchingKernel& kernel) const {
    const StackFrame& frame = frames_[i];
    const auto target = targetIn(i);
    double away = target ? bodyRadius(i) + std::ceil(2.5 * fwhmPixels(i)) + 2.0 : 0.0;
    for (const auto& disc : frame.protect) {
        away = std::max(away, disc.radius);
    }
    return kernelStamps(picture,
                        model,
                        kernel,
                        {fwhmPixels(i),
                         frame.noise * frame.fluxScale,
                         kMostOfSaturation * frame.saturation * frame.fluxScale,
                         [&](frame::PixelPos star) {
                             return !target ||
                                    std::hypot(star.x - target->x, star.y - target->y) >= away;
                         }});
}

/// Of the frames' stars, the middle one.
double Removal::fwhmOnGrid() const {
    std::vector<double> widths;
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        widths.push_back(fwhmPixels(i) * frames_[i].place.wcs.scaleArcsec());
    }
    return medianInPlace(std::span(widths)) / grid_.wcs.scaleArcsec();
}

/// Light on the grid as it lies in a frame, and so many pixels beyond its edges.
Result<frame::Image> Removal::inFrame(const frame::Image& light, std::size_t i, int margin) const {
    ImageSource source(light);
    return resample(source,
                    toGrid(frames_[i].place, grid_),
                    {-margin,
                     -margin,
                     series_.sizes[i].width + 2 * margin,
                     series_.sizes[i].height + 2 * margin},
                    {Kernel::Lanczos3, 0.0});
}

/// The frames without a value where stars are, and without the light of their wings, in files of their own.
Result<std::vector<StackFrame>> Removal::besideStars() const {
    std::vector<StackFrame> frames = frames_;
    const frame::Image profiles = fittedStars(stars_.image);
    const auto takeOut = [&](std::size_t i) -> Result<bool> {
        const auto stars = inFrame(model_, i, 0);
        const auto wings = inFrame(profiles, i, 0);
        if (!stars || !wings) {
            return fail(!stars ? stars.error() : wings.error());
        }
        const auto least = static_cast<float>(std::max(
            kStarSigma * frames[i].noise * frames[i].fluxScale, kStarNoises * stars_.noise));
        const auto scale = static_cast<float>(1.0 / frames[i].fluxScale);
        const auto light = stars->pixels();
        const auto wing = wings->pixels();
        auto path = rewritten(i, "beside", [&](float pixel, std::size_t k) {
            return light[k] > least         ? frame::kNoValue
                   : std::isfinite(wing[k]) ? pixel - scale * wing[k]
                                            : pixel;
        });
        if (!path) {
            return fail(path.error());
        }
        frames[i].path = std::move(*path);
        return true;
    };
    auto taken = tryEach(frames.size(), job_, takeOut, fewAtOnce());
    return taken ? Result<std::vector<StackFrame>>(std::move(frames)) : fail(taken.error());
}

/// The level that was taken off when the stars were added: a bridge over a coma has less of faint stars in it than a mesh has.
Result<SkyLevels> Removal::skyOf(std::size_t i, const frame::Image& whole) const {
    if (frames_[i].sky) {
        return SkyLevels::of(*frames_[i].sky, whole.width(), whole.height());
    }
    if (starsFrom_[i].path == frames_[i].path) {
        ImageSource source(whole);
        return SkyLevels::measure(source, starsFrom_[i].protect);
    }
    auto reader = frame::openFrame(starsFrom_[i].path);
    return reader ? SkyLevels::measure(**reader, starsFrom_[i].protect) : fail(reader.error());
}

Result<bool> Removal::takeOut(std::size_t i, WithoutStillSky& result) const {
    StackFrame& frame = result.frames[i];
    auto loaded = frame::readFrame(frame.path);
    if (!loaded) {
        return fail(loaded.error());
    }
    frame::Image picture = std::move(loaded->image);
    const auto sky = skyOf(i, picture);
    if (!sky) {
        return fail(sky.error());
    }
    const auto ceiling = static_cast<float>(std::min(kSaturated * frame.saturation, 3e38));
    for (int y = 0; y < picture.height(); ++y) {
        dropFrom(ceiling, picture.row(y));
        sky->takeOff(y, picture.row(y));
    }
    MatchingKernel kernel(fwhmPixels(i), picture.width(), picture.height());
    const auto model = inFrame(model_, i, marginOf(kernel));
    if (!model) {
        return fail(model.error());
    }
    const auto stamps = stampsOf(picture, *model, i, kernel);
    result.mismatch[i] = -1.0;
    if (kernel.fit(stamps, frame.noise)) {
        result.mismatch[i] = kernel.mismatch();
        subtractStars(picture, *model, kernel, frame);
        frame.noise = detect::Background(picture).typicalNoise();
    }
    frame.path = fileOf(i, "still");
    if (frame.sky) {
        frame.sky = std::make_shared<const calibrate::Surface>(calibrate::Surface::flat(0.0));
    }
    return frame::writeFits(frame.path, picture, {});
}

Result<WithoutStillSky> Removal::make() {
    if (auto moves = checkMotion(); !moves) {
        return fail(moves.error());
    }
    if (!hasComa()) {
        auto added = addStars(frames_);
        if (added && series_.smooth) {
            auto starless = besideStars();
            auto smoothed = starless ? smoothOut(*starless) : fail(starless.error());
            added = smoothed ? addStars(frames_) : fail(smoothed.error());
            dropFiles("beside");
        }
        return added ? takeOutOfAll() : fail(added.error());
    }
    // A stack on the comet holds the stars' light along its way, and what it takes of them is missing from the stars that it leaves.
    // It is therefore made anew where none of those stars is.
    if (auto added = addStarsWithoutComa(frames_); !added) {
        return fail(added.error());
    }
    auto starless = besideStars();
    Result<bool> added = starless ? Result<bool>(true) : fail(starless.error());
    if (added && series_.smooth) {
        added = smoothOut(*starless);
    }
    if (added) {
        added = addStarsWithoutComa(*starless);
    }
    dropFiles("beside");
    return added ? takeOutOfAll() : fail(added.error());
}

/// Fits the frames' skies to what lies beside their stars, from where on those are what is taken off; of `starless` as well.
Result<bool> Removal::smoothOut(std::vector<StackFrame>& starless) {
    auto skies = smoothSkies(starless, series_.targets, *series_.smooth, job_);
    if (!skies) {
        return fail(skies.error());
    }
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        frames_[i].sky = starless[i].sky = skies->surfaces[i];
    }
    skies_ = std::move(*skies);
    return true;
}

void Removal::dropFiles(const char* what) const {
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        std::error_code ignored;
        fs::remove(fileOf(i, what), ignored);
    }
}

/// The stars of the frames less the coma that a stack of `shownBy` shows.
Result<bool> Removal::addStarsWithoutComa(std::span<const StackFrame> shownBy) {
    auto frames = withoutComa(shownBy);
    return frames ? addStars(std::move(*frames)) : fail(frames.error());
}

Result<WithoutStillSky> Removal::takeOutOfAll() const {
    WithoutStillSky result;
    result.frames = frames_;
    result.mismatch.resize(frames_.size());
    auto taken = tryEach(
        result.frames.size(),
        job_,
        [&](std::size_t i) {
            auto done = takeOut(i, result);
            std::error_code ignored;
            fs::remove(fileOf(i, "coma"), ignored);
            return done;
        },
        fewAtOnce("Taking out the unmoving sky"));
    if (!taken) {
        return fail(taken.error());
    }
    result.stars = stars_;
    result.model = model_;
    result.grid = grid_;
    result.skies = skies_;
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
