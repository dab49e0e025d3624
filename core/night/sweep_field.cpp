#include "core/night/sweep_field.h"

#include "core/base/parallel.h"
#include "core/stack/canvas.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr double kFieldPixel = 0.4;     ///< widths of a star
constexpr double kMostMapBytes = 2.0e9; ///< in memory; more lie in files
constexpr double kWorkBytes = 60.0; ///< of memory for a pixel of a frame, while it is made ready
constexpr double kFileBytes =
    8.0; ///< of disk for a pixel of each frame: without its sky, and what stands on the sensor
constexpr double kPrepareSeconds = 6e-7; ///< of one core for a pixel of a frame, about
constexpr double kLimitSnr = 5.0;        ///< of a light's limiting magnitude

Result<stack::PixelGrid> fieldOf(std::span<const SweepView> views) {
    std::vector<stack::FrameOutline> outlines;
    Vec3 middle{};
    double width = 0.0;
    for (const SweepView& view : views) {
        const frame::Wcs& wcs = view.frame.wcs;
        outlines.push_back({{wcs, {}}, view.width, view.height});
        middle = middle + wcs.toSky({0.5 * (view.width - 1), 0.5 * (view.height - 1)}).vector();
        width += view.frame.fwhmPixels * wcs.scaleArcsec() / static_cast<double>(views.size());
    }
    stack::CanvasChoice choice;
    choice.scale =
        std::clamp(kFieldPixel * width / views.front().frame.wcs.scaleArcsec(), 0.6, 4.0);
    return stack::canvasFor(outlines, SkyPos::fromVector(middle), choice);
}

std::vector<SweepView> viewsOf(std::span<const LightRecord* const> lights) {
    std::vector<SweepView> views;
    for (const LightRecord* light : lights) {
        const double fwhm = light->fwhmPixels > 0.0 ? light->fwhmPixels : kUsualStarPixels;
        views.push_back(
            {{*light->wcs, light->middle, light->exposureSeconds, 1.0, fwhm, light->shape.beta},
             light->width,
             light->height});
    }
    return views;
}

} // namespace

Result<bool> checkTimes(std::span<const SweepView> views) {
    if (views.size() < 2 || !(views.front().frame.middle < views.back().frame.middle)) {
        return fail(ErrorId::SweepNoMotion,
                    "All frames are of one time: nothing can be seen to move.");
    }
    return true;
}

Result<sweep::LightMaps> emptyMaps(std::span<const SweepView> views) {
    if (auto checked = checkTimes(views); !checked) {
        return fail(checked.error());
    }
    auto field = fieldOf(views);
    if (!field) {
        return fail(field.error());
    }
    std::vector<sweep::SweepFrame> frames;
    frames.reserve(views.size());
    for (const SweepView& view : views) {
        frames.push_back(view.frame);
    }
    return sweep::LightMaps(*std::move(field), std::move(frames));
}

double secondsToPrepare(std::span<const SweepView> views) {
    double pixels = 0.0;
    for (const SweepView& view : views) {
        pixels += static_cast<double>(view.width) * view.height;
    }
    return kPrepareSeconds * pixels / static_cast<double>(threadLimit());
}

SweepRoom roomFor(std::span<const SweepView> views, double mapBytes) {
    double pixels = 0.0;
    double largest = 0.0;
    for (const SweepView& view : views) {
        const double own = static_cast<double>(view.width) * view.height;
        pixels += own;
        largest = std::max(largest, own);
    }
    SweepRoom room;
    room.hasMapsInFiles = mapBytes > kMostMapBytes;
    room.memory = kWorkBytes * largest + std::min(mapBytes, kMostMapBytes);
    room.disk = kFileBytes * pixels + (room.hasMapsInFiles ? mapBytes : 0.0);
    return room;
}

Result<bool> checkRoom(const SweepRoom& room, const std::filesystem::path& folder) {
    std::error_code status;
    const auto space = std::filesystem::space(folder, status);
    if (!status && static_cast<double>(space.available) < room.disk) {
        return fail(ErrorId::BaseDiskFull,
                    fmt::format("A sweep of these frames needs {:.1f} GB of disk while it goes on, "
                                "and {:.1f} GB are left: free some, or sweep fewer frames.",
                                room.disk / 1e9,
                                static_cast<double>(space.available) / 1e9),
                    folder.string());
    }
    return true;
}

sweep::MotionBounds boundsOf(const SweepWish& wish, const sweep::LightMaps& maps) {
    sweep::MotionBounds bounds;
    bounds.leastRate = std::max(wish.leastRate, sweep::leastRate(maps));
    bounds.mostRate = wish.mostRate;
    if (wish.fromDegrees && wish.toDegrees) {
        bounds.from = Angle::degrees(*wish.fromDegrees);
        bounds.to = Angle::degrees(*wish.toDegrees);
    }
    return bounds;
}

Result<SweepOutlook> outlookOf(std::span<const LightRecord* const> lights, const SweepWish& wish) {
    const auto views = viewsOf(lights);
    const auto maps = emptyMaps(views);
    if (!maps) {
        return fail(maps.error());
    }
    SweepOutlook outlook;
    outlook.leastRate = sweep::leastRate(*maps);
    sweep::SweepOptions options;
    options.bounds = boundsOf(wish, *maps);
    options.falseAlarms = wish.falseAlarms;
    const auto plan = sweep::planOf(*maps, options);
    if (!plan) {
        return fail(plan.error());
    }
    outlook.plan = *plan;
    outlook.seconds = plan->seconds() + secondsToPrepare(views);
    outlook.room = roomFor(views, plan->bytes);
    outlook.depth = depthOf(lights, plan->thresholdSnr);
    return outlook;
}

/// A light shows what is five sigma at its limit; the squares of all add up.
std::optional<double> depthOf(std::span<const LightRecord* const> lights, double snr) {
    double squares = 0.0; // of the S/N of a body of magnitude 0
    for (const LightRecord* light : lights) {
        if (light->photometry) {
            const double one = kLimitSnr * std::pow(10.0, 0.4 * light->photometry->limitingMag);
            squares += one * one;
        }
    }
    if (!(squares > 0.0)) {
        return std::nullopt;
    }
    return 2.5 * std::log10(std::sqrt(squares) / snr);
}

} // namespace pathmark::night
