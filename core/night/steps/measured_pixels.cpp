#include "core/night/steps/measured_pixels.h"

#include "core/base/parallel.h"
#include "core/calibrate/colour_planes.h"
#include "core/frame/fits_file.h"

#include <algorithm>

namespace pathmark::night {
namespace {

struct Taken {
    const Series* series;
    const frame::FrameInfo* info;
};

/// The series and the camera's own frame of a light whose cells were summed; nothing where there are no colours.
std::optional<Taken> summedFrom(const NightRun& run, const LightRecord& light) {
    if (!light.mosaic) {
        return std::nullopt;
    }
    for (const Series& series : run.calibration.series) {
        for (const auto& info : series.lights.frames) {
            if (info.id == light.frame) {
                return Taken{&series, &info};
            }
        }
    }
    return std::nullopt;
}

/// A sum of cells as a plane of its own mosaic, the other way about: pixels half as large.
constexpr calibrate::PlaneGeometry kMosaicOfCells{0.5, -0.25, -0.25};

} // namespace

double rawSaturation(const CalibratedPart& light) {
    constexpr double pixelsOfCell = 4.0;
    return light.saturationElectrons / pixelsOfCell;
}

Result<std::shared_ptr<const LoadedCalibration>> SeriesMasters::of(const Series& series) {
    const std::scoped_lock lock(guard_);
    const auto known = std::find_if(kept_.begin(), kept_.end(), [&](const Kept& kept) {
        return kept.series == series.lights.id;
    });
    if (known != kept_.end()) {
        kept_.splice(kept_.begin(), kept_, known);
        return kept_.front().calibration;
    }
    if (kept_.size() >= threadLimit()) {
        kept_.pop_back(); // before another is loaded: whoever measures with it still holds it
    }
    auto fresh = loadCalibration(run_, series);
    if (!fresh) {
        return fail(fresh.error());
    }
    kept_.push_front(
        {series.lights.id, std::make_shared<const LoadedCalibration>(std::move(*fresh))});
    return kept_.front().calibration;
}

Result<MeasuredPixels>
MeasuredPixels::read(const NightRun& run, SeriesMasters& masters, const LightRecord& light) {
    MeasuredPixels pixels;
    pixels.light_ = &light;
    if (const auto taken = summedFrom(run, light)) {
        const auto loaded = masters.of(*taken->series);
        if (!loaded) {
            return fail(loaded.error());
        }
        auto mosaic = mosaicOf(**loaded, *taken->info);
        if (!mosaic) {
            return fail(mosaic.error());
        }
        pixels.electrons_ = std::move(*mosaic);
        pixels.mosaic_ = std::make_unique<detect::ColourMosaic>(
            pixels.electrons_, taken->info->bayerPattern, rawSaturation(light));
        return pixels;
    }
    auto loaded = frame::readFits(light.calibrated);
    if (!loaded) {
        return fail(loaded.error());
    }
    pixels.electrons_ = std::move(loaded->image);
    pixels.sky_.emplace(pixels.electrons_);
    pixels.withoutSky_ = pixels.sky_->subtractFrom(pixels.electrons_);
    return pixels;
}

measure::Picture MeasuredPixels::pictureAt(frame::PixelPos pixel) const {
    measure::Picture picture;
    picture.wcs = *light_->wcs;
    picture.shape = light_->shape;
    picture.starTrailX = light_->trailX;
    picture.starTrailY = light_->trailY;
    picture.solutionErrorPixels = light_->solutionErrorAt(pixel);
    if (light_->photometry) {
        picture.photometry = light_->photometry->about(pixel, {light_->width, light_->height});
    }
    picture.exposureSeconds = light_->exposureSeconds;
    picture.saturationElectrons = light_->saturationElectrons;
    if (mosaic_ == nullptr) {
        picture.image = &withoutSky_;
        picture.noise = std::max(1e-3, static_cast<double>(sky_->noise(pixel.x, pixel.y)));
        return picture;
    }
    const MosaicShape& own = *light_->mosaic;
    picture.image = &mosaic_->light();
    picture.mosaic = mosaic_.get();
    picture.response = {own.red, own.blue};
    picture.saturationElectrons = rawSaturation(*light_);
    picture.wcs = calibrate::wcsOfPlane(*light_->wcs, kMosaicOfCells);
    picture.shape = own.shape;
    picture.starTrailX = own.trailX;
    picture.starTrailY = own.trailY;
    picture.solutionErrorPixels *= 2.0;
    picture.noise = std::max(1e-3, mosaic_->typicalNoise(1));
    return picture;
}

measure::CometFrame MeasuredPixels::cometFrameAt(frame::PixelPos pixel) const {
    measure::CometFrame frame;
    frame.electrons = &electrons_;
    frame.picture = pictureAt(pixel);
    if (mosaic_ == nullptr) {
        // The mesh takes a coma's slope for noise.
        frame.picture.noise = std::max(1e-3, sky_->typicalNoise());
    }
    return frame;
}

frame::PixelPos MeasuredPixels::toLight(frame::PixelPos picture) const {
    if (mosaic_ == nullptr) {
        return picture;
    }
    // light = step * mosaic + (x, y)
    return {kMosaicOfCells.step * picture.x + kMosaicOfCells.x,
            kMosaicOfCells.step * picture.y + kMosaicOfCells.y};
}

} // namespace pathmark::night
