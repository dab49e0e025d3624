#include "core/night/first_look.h"

#include "core/calibrate/colour_planes.h"
#include "core/detect/detect.h"
#include "core/frame/open_frame.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr int kLeast = 500;
constexpr int kMost = 1400;

int lookedAt(int side) {
    return std::min(side, std::clamp(side / 2, kLeast, kMost));
}

/// The middle of a frame, read without the rest where its format lets one.
Result<frame::Image> readMiddle(const frame::FrameInfo& info) {
    auto source = frame::openFrame(info.path);
    if (!source) {
        return fail(source.error());
    }
    MiddlePart part = MiddlePart::of((*source)->width(), (*source)->height());
    // A multiple of any pattern's side keeps the pattern of a colour camera.
    constexpr int side = 6;
    part.x -= part.x % side;
    part.y -= part.y % side;
    frame::Image rows((*source)->width(), part.height);
    if (auto read = (*source)->rows(part.y, rows.pixels()); !read) {
        return fail(read.error());
    }
    return MiddlePart{part.x, 0, part.width, part.height}.cut(rows);
}

} // namespace

MiddlePart MiddlePart::of(int width, int height) {
    MiddlePart part{0, 0, lookedAt(width), lookedAt(height)};
    part.x = (width - part.width) / 2;
    part.y = (height - part.height) / 2;
    return part;
}

frame::Image MiddlePart::cut(const frame::Image& whole) const {
    frame::Image result(width, height);
    for (int row = 0; row < height; ++row) {
        const auto from = whole.row(y + row).subspan(static_cast<std::size_t>(x),
                                                     static_cast<std::size_t>(width));
        std::copy(from.begin(), from.end(), result.row(row).begin());
    }
    return result;
}

std::optional<frame::FrameInfo> FirstLook::underOf(const calibrate::MasterMatch& match,
                                                   std::span<const calibrate::FrameGroup> groups) {
    for (const auto role : {calibrate::Role::Dark, calibrate::Role::Bias}) {
        if (const auto group = match.group(role)) {
            return groups[*group].example;
        }
    }
    return std::nullopt;
}

Result<FirstLook> FirstLook::make(const std::optional<frame::FrameInfo>& under) {
    FirstLook look;
    if (under) {
        auto middle = readMiddle(*under);
        if (!middle) {
            return fail(middle.error());
        }
        look.under_ = std::move(*middle);
    }
    return look;
}

Result<SourcesPart> FirstLook::at(const frame::FrameInfo& light) const {
    auto middle = readMiddle(light);
    if (!middle) {
        return fail(middle.error());
    }
    frame::Image image = std::move(*middle);
    const double gain = light.electronsPerAdu.value_or(1.0);
    const bool hasUnder = under_.width() == image.width() && under_.height() == image.height();
    auto below = under_.pixels().begin();
    for (float& v : image.pixels()) {
        v = static_cast<float>(gain) * (v - (hasUnder ? *below++ : 0.0F));
    }
    const double area = static_cast<double>(image.width()) * image.height();
    const double whole = static_cast<double>(light.width) * light.height;
    detect::DetectOptions options;
    double saturation = gain * light.saturationAdu.value_or(65535.0);
    if (!light.bayerPattern.empty()) {
        using calibrate::Colour;
        image = calibrate::takePlane(image, Colour::Sum, light.bayerPattern, saturation);
        saturation *= calibrate::pixelsSummed(Colour::Sum, light.bayerPattern);
    }
    options.saturation = saturation;
    SourcesPart part;
    const auto found = detect::detectSources(image, options);
    if (!found) {
        part.withoutSources = found.error().detail;
        return part;
    }
    part.sources =
        static_cast<int>(std::lround(static_cast<double>(found->sources.size()) * whole / area));
    part.fwhmPixels = found->fwhm;
    part.elongation = found->elongation;
    part.skyElectrons = found->sky.typicalLevel();
    part.noiseElectrons = found->sky.typicalNoise();
    return part;
}

} // namespace pathmark::night
