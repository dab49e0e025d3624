#include "core/night/picture_window.h"

#include "core/calibrate/apply.h"
#include "core/calibrate/colour_planes.h"
#include "core/frame/fits_file.h"
#include "core/night/star_sources.h"
#include "core/stack/stack_header.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

/// How much the reading of the camera and the flat bring into a pixel: what is stated of a raw pixel, for as many as it is made of.
void addCamera(const frame::Header& header, measure::Picture& picture) {
    double summed = 1.0;
    double averaged = 1.0;
    const auto colour = calibrate::colourNamed(header.text(frame::kColourKeyword).value_or(""));
    const auto pattern = header.text(frame::kPatternKeyword);
    if (colour && pattern && *colour != calibrate::Colour::Full) {
        summed = calibrate::pixelsSummed(*colour, *pattern);
        averaged = calibrate::pixelsAveraged(*colour, *pattern);
    }
    picture.readNoise =
        header.number(frame::kReadNoiseKeyword).value_or(0.0) * std::sqrt(summed / averaged);
    picture.flatError =
        header.number(frame::kFlatErrorKeyword).value_or(0.0) / std::sqrt(summed * averaged);
}

/// What is known of a picture, but for its pixels.
measure::Picture pictureOf(const LightRecord& light,
                           bool isStack,
                           const frame::Header& header,
                           const frame::Wcs& wcs,
                           frame::PixelPos place) {
    measure::Picture picture;
    picture.wcs = wcs;
    picture.exposureSeconds = light.exposureSeconds;
    picture.shape = light.shape;
    picture.noise = light.noiseElectrons;
    if (isStack) {
        picture.noise = header.number(stack::kNoiseKeyword).value_or(light.noiseElectrons);
        picture.lightVariance = header.number(stack::kLightVarianceKeyword).value_or(1.0);
        return picture;
    }
    addCamera(header, picture);
    picture.starTrailX = light.trailX;
    picture.starTrailY = light.trailY;
    picture.solutionErrorPixels = std::hypot(light.solutionErrorAt(place), light.leanError());
    if (light.saturationElectrons > 0.0) {
        picture.saturationElectrons = light.saturationElectrons;
    }
    if (light.photometry) {
        picture.photometry = light.photometry->about(place, {light.width, light.height});
    }
    return picture;
}

} // namespace

Result<PictureWindow> windowOf(const std::filesystem::path& path,
                               const LightRecord& light,
                               bool isStack,
                               const SkyPos& place,
                               double halfPixels) {
    auto reader = frame::FitsReader::open(path);
    if (!reader) {
        return fail(reader.error());
    }
    const auto wcs = frame::readWcs(reader->header());
    if (!wcs) {
        return fail(wcs.error());
    }
    const auto at = wcs->toPixel(place);
    const int half = static_cast<int>(std::ceil(halfPixels));
    const auto from = [&](double middle) { return std::max(0, static_cast<int>(middle) - half); };
    const auto to = [&](double middle, int length) {
        return std::min(length, static_cast<int>(middle) + half + 1);
    };
    if (!at || to(at->x, reader->width()) <= from(at->x) ||
        to(at->y, reader->height()) <= from(at->y)) {
        return fail(ErrorId::MeasureOutside, "The place is outside the picture.");
    }
    const int x0 = from(at->x);
    const int y0 = from(at->y);
    PictureWindow window;
    frame::Image rows(reader->width(), to(at->y, reader->height()) - y0);
    if (auto read = reader->rows(y0, rows.pixels()); !read) {
        return fail(read.error());
    }
    window.image = rows.part(x0, 0, to(at->x, reader->width()) - x0, rows.height());
    window.picture = pictureOf(light, isStack, reader->header(), *wcs, *at);
    window.picture.wcs.referencePixel.x -= x0;
    window.picture.wcs.referencePixel.y -= y0;
    window.corner = {static_cast<double>(x0), static_cast<double>(y0)};
    window.place = {at->x - x0, at->y - y0};
    return window;
}

std::vector<measure::StarNearby> starsAbout(const PictureWindow& window,
                                            const Utc& time,
                                            double itself,
                                            const catalog::StarStore& store) {
    const measure::Picture& picture = window.picture;
    if (!picture.photometry) {
        return {};
    }
    const double reach = static_cast<double>(window.image.width() + window.image.height());
    const StarsAbout about{
        picture.wcs.toSky(window.place), Angle::arcsec(reach * picture.wcs.scaleArcsec()), time};
    return starsOn(picture, store, about, [&](const catalog::Star&, frame::PixelPos pixel) {
        return std::hypot(pixel.x - window.place.x, pixel.y - window.place.y) < itself;
    });
}

} // namespace pathmark::night
