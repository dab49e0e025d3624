#include "core/stack/layers.h"

#include "core/stack/time_groups.h"

namespace pathmark::stack {
namespace {

/// The frames with what the target has moved in them since it was at `origin`.
Result<std::vector<StackFrame>>
shifted(const Series& series, const std::vector<std::size_t>& members, const SkyPos& origin) {
    std::vector<StackFrame> frames;
    for (const std::size_t i : members) {
        frames.push_back(series.frames[i]);
        const auto there = series.target(frames.back().middle);
        if (!there) {
            return fail(there.error());
        }
        frames.back().place.shift = toTangentPlane(origin, *there);
    }
    return frames;
}

Result<PixelGrid> sharedCanvas(const Series& series, const CanvasChoice& choice) {
    const auto origin = series.target(middleOf(series.frames));
    if (!origin) {
        return fail(origin.error());
    }
    std::vector<std::size_t> all;
    for (std::size_t i = 0; i < series.frames.size(); ++i) {
        all.push_back(i);
    }
    auto frames = shifted(series, all, *origin);
    if (!frames) {
        return fail(frames.error());
    }
    std::vector<FrameOutline> outlines;
    for (std::size_t i = 0; i < frames->size(); ++i) {
        outlines.push_back({(*frames)[i].place, series.sizes[i].width, series.sizes[i].height});
    }
    return canvasFor(outlines, *origin, choice);
}

} // namespace

Result<std::vector<Layer>> layersOf(const Series& series, int groups, const CanvasChoice& choice) {
    if (series.frames.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    auto canvas = sharedCanvas(series, choice);
    if (!canvas) {
        return fail(canvas.error());
    }
    std::vector<Utc> times;
    for (const StackFrame& frame : series.frames) {
        times.push_back(frame.middle);
    }
    std::vector<Layer> layers;
    for (const auto& members : splitInTime(times, groups)) {
        Layer layer;
        layer.members = members;
        std::vector<StackFrame> own;
        own.reserve(members.size());
        for (const std::size_t i : members) {
            own.push_back(series.frames[i]);
        }
        layer.middle = middleOf(own);
        const auto target = series.target(layer.middle);
        if (!target) {
            return fail(target.error());
        }
        layer.target = *target;
        auto frames = shifted(series, members, *target);
        if (!frames) {
            return fail(frames.error());
        }
        layer.frames = std::move(*frames);
        layer.grid = *canvas;
        layer.grid.wcs.referenceSky = *target;
        layers.push_back(std::move(layer));
    }
    return layers;
}

} // namespace pathmark::stack
