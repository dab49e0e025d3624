#include "core/night/steps/calibrate_step.h"

#include "core/calibrate/colour_planes.h"
#include "core/calibrate/particle_hits.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/open_frame.h"
#include "core/night/first_look.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_text.h"

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

/// The protected discs of a light in pixels of the calibrated frame.
std::vector<calibrate::ProtectedDisc>
protectedDiscs(const CalibrationRun& run, const Series& series, const frame::FrameInfo& light) {
    const std::string& pattern = series.lights.example.bayerPattern;
    const double scale =
        pattern.empty() ? 1.0 : 1.0 / calibrate::planeGeometry(run.settings.colour, pattern).step;
    auto discs = run.protectedSky.on(light);
    for (calibrate::ProtectedDisc& disc : discs) {
        disc = {{disc.centre.x * scale, disc.centre.y * scale}, disc.radius * scale};
    }
    return discs;
}

/// Takes the shape away and keeps it where it is wanted.
void removeGradient(const CalibrationRun& run,
                    const calibrate::Surface& surface,
                    calibrate::CalibratedFrame& frame) {
    calibrate::subtractShape(frame.image, surface);
    if (run.settings.writesGradient) {
        frame.gradient = surface.image();
    }
}

/// One gradient for the whole series, from samples of up to a dozen of its frames.
Result<calibrate::Surface>
seriesGradient(const CalibrationRun& run, const Series& series, const LoadedCalibration& loaded) {
    constexpr std::size_t most = 12;
    const auto& frames = series.lights.frames;
    const std::size_t step = std::max<std::size_t>(1, frames.size() / most);
    calibrate::SurfaceOptions options;
    options.degree = run.settings.gradient.degree;
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
        options.protect = protectedDiscs(run, series, frames[i]);
        samples.push_back(calibrate::sampleSurface(frame.image, options));
    }
    if (samples.empty()) {
        return fail(ErrorId::CalibrateNoBackground, "No frame of the series could be read.");
    }
    auto pooled = calibrate::pooledSamples(samples);
    return calibrate::fitSurface(pooled, width, height, options);
}

} // namespace

Result<LoadedCalibration> loadCalibration(const CalibrationRun& run, const Series& series) {
    LoadedCalibration loaded;
    for (const auto& [role, file] : series.calibration.masters) {
        auto master = calibrate::readMaster(file.path);
        if (!master) {
            return fail(master.error());
        }
        master->key = file.key;
        if (!run.settings.writesVariance && role != Role::Dark && role != Role::ScaledDark) {
            master->forgetVariance();
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
    set.colour = run.settings.colour;
    set.wantsVariance = run.settings.writesVariance;
    set.keepsMosaic = true;
    if (set.dark == nullptr && set.scaledDark == nullptr &&
        series.lights.frames.size() >= kFewestForDefects) {
        // Without darks the lights themselves tell which pixels are hot.
        if (auto defects = calibrate::findDefectsInLights(series.lights, run.job)) {
            loaded.lightDefects = std::move(*defects);
            set.defects = &*loaded.lightDefects;
        }
    }
    loaded.calibrator = std::make_unique<calibrate::Calibrator>(set, series.lights.example);
    if (run.settings.gradient.removed && run.settings.gradient.perSeries) {
        auto surface = seriesGradient(run, series, loaded);
        if (!surface) {
            return fail(surface.error());
        }
        loaded.gradient = std::move(*surface);
    }
    return loaded;
}

Result<frame::Image> mosaicOf(const LoadedCalibration& loaded, const frame::FrameInfo& info) {
    auto raw = frame::readFrame(info.path);
    if (!raw) {
        return fail(raw.error());
    }
    return loaded.calibrator->apply(std::move(*raw), info).mosaic;
}

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

namespace {

/// Makes particle hits NaN and notes their number in the header. Returns the number of pixels.
int maskHits(calibrate::CalibratedFrame& frame, const detect::Detection& found, bool isMosaic) {
    calibrate::HitOptions options;
    // The narrower axis of an elongated star is what a hit must be sharper than.
    options.fwhmPixels = found.fwhm / std::sqrt(std::max(1.0, found.elongation));
    // What the photons of the sky do not explain of its noise: read noise, of summed cells too.
    const double noise = found.sky.typicalNoise();
    options.readNoise =
        std::sqrt(std::max(1.0, noise * noise - std::max(0.0, found.sky.typicalLevel())));
    const int masked = isMosaic ? calibrate::maskParticleHitsInMosaic(frame.image, options)
                                : calibrate::maskParticleHits(frame.image, options);
    frame.header.set("PMHITS", static_cast<long long>(masked), "pixels struck by particles, NaN");
    return masked;
}

/// Reads and calibrates one light: masters, then levelling or gradient where wanted.
Result<calibrate::CalibratedFrame> calibrateLight(const CalibrationRun& run,
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
    const CalibrationSettings& settings = run.settings;
    const auto note = [&](const std::string& text) { frame.header.add({"HISTORY", text, {}}); };
    if (!series.calibration.withoutFlats.empty()) {
        note(series.calibration.withoutFlats);
    }
    calibrate::SurfaceOptions options;
    options.protect = protectedDiscs(run, series, info);
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
            removeGradient(run, *loaded.gradient, frame);
            note("gradient of the series removed: " + loaded.gradient->words());
        } else {
            options.degree = settings.gradient.degree;
            auto samples = calibrate::sampleSurface(frame.image, options);
            const auto surface =
                calibrate::fitSurface(samples, frame.image.width(), frame.image.height(), options);
            if (!surface) {
                return fail(surface.error());
            }
            removeGradient(run, *surface, frame);
            note("gradient removed: " + surface->words());
        }
    }
    return frame;
}

ProductKey keyOf(const FrameWork& work) {
    const SeriesCalibration& calibration = work.series.calibration;
    ProductKey key("calibrate", calibrateStep().version);
    const CalibrationSettings& settings = work.calibration.settings;
    key.settings(settingsText(static_cast<const BackgroundChoice&>(settings)) +
                 settingsText(static_cast<const LightSettings&>(settings)))
        .input("frame", work.info.id.text())
        .input("taken for", pixelMeaningOf(work.info))
        .input("noise",
               fmt::format("{} {} {}",
                           calibration.noise.electronsPerAdu,
                           calibration.noise.readNoiseElectrons,
                           calibration.noise.saturationAdu));
    for (const auto& [role, master] : calibration.masters) {
        key.input(calibrate::name(role), master.key);
    }
    if (calibration.darkScale) {
        key.input("dark scale", fmt::format("{}", calibration.darkScale->scale));
    }
    const ProtectedSky& protectedSky = work.calibration.protectedSky;
    if (settings.gradient.removed || calibration.levelled) {
        key.input("protected", protectedSky.textOn(work.info));
    }
    if (calibration.sharesPixels) {
        for (const auto& other : work.series.lights.frames) {
            key.input("of the series", other.id.text() + " " + protectedSky.textOn(other));
        }
    }
    return key;
}

Result<bool> make(FrameWork& work, Product& product) {
    auto frame = calibrateLight(work.calibration, work.series, *work.loaded, work.info);
    if (!frame) {
        return fail(frame.error());
    }
    CalibratedPart& part = work.record;
    part = {};
    part.calibrated = work.target;
    part.width = frame->image.width();
    part.height = frame->image.height();
    part.saturationElectrons = frame->saturationElectrons;
    part.defects = frame->defects;
    detect::DetectOptions options;
    options.saturation = frame->saturationElectrons;
    // Whatever comes after, the pixels are the same: a part of the frame tells how sharp a star is.
    const frame::Image middle =
        MiddlePart::of(frame->image.width(), frame->image.height()).cut(frame->image);
    if (const auto found = detect::detectSources(middle, options)) {
        const auto pattern = work.calibration.settings.colour == calibrate::Colour::Keep
                                 ? frame::ColourPattern::of(work.info.bayerPattern)
                                 : std::nullopt;
        if (pattern && pattern->side() != 2) {
            frame->header.add({"HISTORY",
                               "particle hits are not sought: pixels of one place of the "
                               "pattern lie too far apart",
                               {}});
        } else if (work.calibration.settings.masksHits) {
            part.hits = maskHits(*frame, *found, pattern.has_value());
        }
        part.middleFwhmPixels = found->fwhm;
        part.middleSkyElectrons = found->sky.typicalLevel();
        part.middleNoiseElectrons = found->sky.typicalNoise();
        part.middleSources = static_cast<int>(found->sources.size());
    }
    work.pixels = std::move(*frame);
    CalibratedPart stored = part;
    stored.calibrated.clear(); // where it lies is the product's to know
    product.path = work.target;
    product.info = record_json::write(stored).dump();
    return true;
}

void restore(FrameWork& work, const Product& product) {
    CalibratedPart& part = work.record;
    part = record_json::read<CalibratedPart>(nlohmann::json::parse(product.info));
    part.calibrated = product.path;
}

} // namespace

FrameStep calibrateStep() {
    return {"calibrate",
            11,
            "calibrates the lights",
            {ProductKind::Master},
            ProductKind::Calibrated,
            keyOf,
            make,
            restore,
            nullptr};
}

} // namespace pathmark::night
