#include "core/calibrate/colour_planes.h"
#include "core/calibrate/particle_hits.h"
#include "core/frame/open_frame.h"
#include "core/night/context.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

using calibrate::Master;
using calibrate::Role;

const Master* find(const std::map<Role, Master>& masters, Role role) {
    const auto found = masters.find(role);
    return found == masters.end() ? nullptr : &found->second;
}

/// The protected discs in pixels of the calibrated frame.
std::vector<calibrate::Disc> protectedDiscs(const CalibrationContext& context,
                                            const Series& series) {
    const std::string& pattern = series.lights.example.bayerPattern;
    const double scale =
        pattern.empty() ? 1.0
                        : 1.0 / calibrate::planeGeometry(context.settings.colour, pattern).step;
    auto discs = context.settings.protect;
    for (calibrate::Disc& disc : discs) {
        disc = {{disc.centre.x * scale, disc.centre.y * scale}, disc.radius * scale};
    }
    return discs;
}

/// Takes the shape away and keeps it where it is wanted.
void removeGradient(const CalibrationContext& context,
                    const calibrate::Surface& surface,
                    calibrate::CalibratedFrame& frame) {
    calibrate::subtractShape(frame.image, surface);
    if (context.settings.writesGradient) {
        frame.gradient = surface.image();
    }
}

/// One gradient for the whole series, from samples of up to a dozen of its frames.
Result<calibrate::Surface> seriesGradient(const CalibrationContext& context,
                                          const Series& series,
                                          const LoadedCalibration& loaded) {
    constexpr std::size_t most = 12;
    const auto& frames = series.lights.frames;
    const std::size_t step = std::max<std::size_t>(1, frames.size() / most);
    calibrate::SurfaceOptions options;
    options.degree = context.settings.gradient.degree;
    options.protect = protectedDiscs(context, series);
    std::vector<std::vector<calibrate::SurfaceSample>> samples;
    int width = 0;
    int height = 0;
    for (std::size_t i = 0; i < frames.size(); i += step) {
        auto raw = frame::readFrame(frames[i].path);
        if (!raw) {
            continue; // told when its turn comes
        }
        const auto frame = loaded.calibrator->apply(std::move(*raw), frames[i]);
        width = frame.image.width();
        height = frame.image.height();
        samples.push_back(calibrate::sampleSurface(frame.image, options));
    }
    if (samples.empty()) {
        return fail(ErrorId::CalibrateNoBackground, "No frame of the series could be read.");
    }
    auto pooled = calibrate::pooledSamples(samples);
    return calibrate::fitSurface(pooled, width, height, options);
}

/// The images of a calibrated file after the first, as far as there are any.
std::vector<frame::NamedImage> furtherImages(const calibrate::CalibratedFrame& frame) {
    std::vector<frame::NamedImage> images;
    for (const auto& [name, image] : {std::pair{"VARIANCE", &frame.variance},
                                      std::pair{"RED", &frame.red},
                                      std::pair{"BLUE", &frame.blue},
                                      std::pair{"GRADIENT", &frame.gradient}}) {
        if (!image->empty()) {
            images.push_back({name, image});
        }
    }
    return images;
}

} // namespace

Result<LoadedCalibration> loadCalibration(const CalibrationContext& context, const Series& series) {
    LoadedCalibration loaded;
    for (const auto& [role, file] : series.calibration.masters) {
        auto master = calibrate::readMaster(file.path);
        if (!master) {
            return fail(master.error());
        }
        master->key = file.key;
        if (!context.settings.writesVariance && role != Role::Dark && role != Role::ScaledDark) {
            master->variance = {};
        }
        loaded.masters.emplace(role, std::move(*master));
    }
    calibrate::CalibrationSet set;
    set.dark = find(loaded.masters, Role::Dark);
    set.bias = find(loaded.masters, Role::Bias);
    set.scaledDark = find(loaded.masters, Role::ScaledDark);
    set.flat = find(loaded.masters, Role::Flat);
    set.darkScale = series.calibration.darkScale ? series.calibration.darkScale->scale : 0.0;
    set.noise = series.calibration.noise;
    set.colour = context.settings.colour;
    set.wantsVariance = context.settings.writesVariance;
    if (set.dark == nullptr && set.scaledDark == nullptr && series.lights.frames.size() >= 5) {
        // Without darks the lights themselves tell which pixels are hot.
        if (auto defects = calibrate::findDefectsInLights(series.lights, context.job)) {
            loaded.lightDefects = std::move(*defects);
            set.defects = &*loaded.lightDefects;
        }
    }
    loaded.calibrator = std::make_unique<calibrate::Calibrator>(set, series.lights.example);
    if (context.settings.gradient.removed && context.settings.gradient.perSeries) {
        auto surface = seriesGradient(context, series, loaded);
        if (!surface) {
            return fail(surface.error());
        }
        loaded.gradient = std::move(*surface);
    }
    return loaded;
}

Result<calibrate::CalibratedFrame> calibrateLight(const CalibrationContext& context,
                                                  const Series& series,
                                                  const LoadedCalibration& loaded,
                                                  const frame::FrameInfo& info) {
    auto raw = frame::readFrame(info.path);
    if (!raw) {
        return fail(raw.error());
    }
    if (raw->image.width() != series.lights.example.width ||
        raw->image.height() != series.lights.example.height) {
        return fail(ErrorId::CalibrateSizesDiffer,
                    "The frame has changed its size since it was gathered; gather again.",
                    info.path.string());
    }
    auto frame = loaded.calibrator->apply(std::move(*raw), info);
    const CalibrationSettings& settings = context.settings;
    const auto note = [&](const std::string& text) { frame.header.add({"HISTORY", text, {}}); };
    if (!series.calibration.withoutFlats.empty()) {
        note(series.calibration.withoutFlats);
    }
    calibrate::SurfaceOptions options;
    options.protect = protectedDiscs(context, series);
    if (series.calibration.levelled) {
        options.degree = 4;
        auto samples = calibrate::sampleSurface(frame.image, options);
        const auto surface =
            calibrate::fitSurface(samples, frame.image.width(), frame.image.height(), options);
        if (!surface) {
            return fail(surface.error());
        }
        const double level = settings.levelElectrons.value_or(surface->level());
        calibrate::levelTo(frame.image, *surface, level);
        frame.header.set("PMLEVEL", level, "[e] the background was levelled to");
        note("levelled by a " + surface->words());
    }
    if (settings.gradient.removed) {
        if (loaded.gradient) {
            removeGradient(context, *loaded.gradient, frame);
            note("gradient of the series removed: " + loaded.gradient->words());
        } else {
            options.degree = settings.gradient.degree;
            auto samples = calibrate::sampleSurface(frame.image, options);
            const auto surface =
                calibrate::fitSurface(samples, frame.image.width(), frame.image.height(), options);
            if (!surface) {
                return fail(surface.error());
            }
            removeGradient(context, *surface, frame);
            note("gradient removed: " + surface->words());
        }
    }
    return frame;
}

std::map<std::filesystem::path, std::filesystem::path>
calibratedPaths(const std::filesystem::path& out, std::span<const Series> series) {
    std::map<std::filesystem::path, std::filesystem::path> paths;
    std::set<std::string> taken;
    for (const Series& one : series) {
        for (const auto& info : one.lights.frames) {
            const std::string stem = frame::frameStem(info.path);
            std::string unique = stem;
            for (int i = 2; !taken.insert(unique).second; ++i) {
                unique = fmt::format("{}-{}", stem, i);
            }
            paths[info.path] = out / "calibrated" / (unique + ".fits");
        }
    }
    return paths;
}

int maskHits(calibrate::CalibratedFrame& frame, detect::Detection& found, frame::PixelPos origin) {
    calibrate::HitOptions options;
    // The narrower axis of an elongated star is what a hit must be sharper than.
    options.fwhmPixels = found.fwhm / std::sqrt(std::max(1.0, found.elongation));
    // What the photons of the sky do not explain of its noise: read noise, of summed cells too.
    const double noise = found.sky.typicalNoise();
    options.readNoise =
        std::sqrt(std::max(1.0, noise * noise - std::max(0.0, found.sky.typicalLevel())));
    frame::Image& image = frame.image;
    const int masked = calibrate::maskParticleHits(image, options);
    std::erase_if(found.sources, [&](const detect::Source& source) {
        const int x = static_cast<int>(std::lround(source.x + origin.x));
        const int y = static_cast<int>(std::lround(source.y + origin.y));
        return image.contains(x, y) && std::isnan(image.at(x, y));
    });
    frame.header.set("PMHITS", static_cast<long long>(masked), "pixels struck by particles, NaN");
    return masked;
}

Result<bool> writeCalibrated(calibrate::CalibratedFrame& frame,
                             const frame::FrameInfo& info,
                             const std::filesystem::path& target,
                             const std::string& key) {
    if (info.midExposure) {
        frame.header.set(
            "DATE-AVG", toIso(*info.midExposure).substr(0, 23), "middle of the exposure (UTC)");
    }
    frame.header.set("PMKEY", key);
    return frame::writeFits(
        target, frame.image, frame.header, frame::PixelType::Float32, furtherImages(frame));
}

} // namespace pathmark::night
