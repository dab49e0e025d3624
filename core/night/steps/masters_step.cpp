#include "core/night/steps/masters_step.h"

#include "core/base/atomic_file.h"
#include "core/calibrate/library.h"
#include "core/calibrate/noise.h"
#include "core/calibrate/sky_flat.h"
#include "core/frame/open_frame.h"
#include "core/night/settings_text.h"
#include "core/night/steps/night_run.h"
#include "core/night/steps/noise_meter.h"
#include "core/night/steps/step.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

namespace pathmark::night {
namespace {

using calibrate::FrameGroup;
using calibrate::Master;
using calibrate::Role;
using frame::FrameKind;

/// Builds masters once each, from the store of products where they are there already.
class MasterBuilder {
  public:
    MasterBuilder(CalibrationRun& run, const std::vector<FrameGroup>& groups)
        : run_(run), groups_(groups) {}

    /// A bias, dark or flat-dark as it is.
    Result<MasterFile> plain(std::size_t group) {
        auto key = keyOf(group);
        if (!key) {
            return fail(key.error());
        }
        return make(*key, groups_[group].title(), groups_[group].example.kind, [&] {
            return calibrate::buildMaster(groups_[group], options(0.0), run_.job);
        });
    }

    Result<MasterFile>
    flat(std::size_t group, const calibrate::MasterMatch& match, double saturation) {
        auto pedestal = flatPedestal(match);
        if (!pedestal) {
            return fail(pedestal.error());
        }
        auto key = keyOf(group);
        if (!key) {
            return fail(key.error());
        }
        key->input("pedestal", pedestal->key).input("saturation", fmt::format("{}", saturation));
        return make(*key, groups_[group].title(), FrameKind::Flat, [&]() -> Result<Master> {
            auto under = load(*pedestal, groups_[group].example.exposureSeconds);
            if (!under) {
                return fail(under.error());
            }
            return calibrate::buildFlat(
                groups_[group], *under ? &**under : nullptr, options(saturation), run_.job);
        });
    }

    /// A flat from the lights' own sky.
    Result<MasterFile> skyFlat(const FrameGroup& lights,
                               const std::optional<MasterFile>& pedestal) {
        ProductKey key = started();
        key.settings(settingsText(static_cast<const BackgroundChoice&>(run_.settings)) +
                     settingsText(static_cast<const LightSettings&>(run_.settings)))
            .input("made from", "the sky")
            .input("protected", protectedIn(lights))
            .input("pedestal", pedestal ? pedestal->key : "");
        if (auto added = addFrames(key, lights); !added) {
            return fail(added.error());
        }
        return make(key, "of the sky", FrameKind::Flat, [&]() -> Result<Master> {
            std::optional<Master> under;
            if (pedestal) {
                auto read = calibrate::readMaster(pedestal->path);
                if (!read) {
                    return fail(read.error());
                }
                under = std::move(*read);
            }
            calibrate::SkyFlatOptions options;
            options.master.combination = run_.settings.combination;
            for (const auto& info : lights.frames) {
                options.protect.push_back(run_.protectedSky.on(info));
            }
            return calibrate::buildSkyFlat(lights, under ? &*under : nullptr, options, run_.job);
        });
    }

  private:
    [[nodiscard]] std::string protectedIn(const FrameGroup& lights) const {
        std::string text;
        for (const auto& info : lights.frames) {
            text += run_.protectedSky.textOn(info) + "|";
        }
        return text;
    }

    /// What is taken from flats: one master, or a bias and a dark to be scaled.
    struct Pedestal {
        std::optional<MasterFile> first;
        std::optional<MasterFile> scaledDark;
        std::string key;
    };

    [[nodiscard]] calibrate::MasterOptions options(double saturation) const {
        return {run_.settings.combination, saturation};
    }

    Result<Pedestal> flatPedestal(const calibrate::MasterMatch& match) {
        Pedestal pedestal;
        const auto get = [&](Role role, std::optional<MasterFile>& into) -> Result<bool> {
            if (const auto group = match.group(role)) {
                auto master = plain(*group);
                if (!master) {
                    return fail(master.error());
                }
                pedestal.key += master->key;
                into = std::move(*master);
            }
            return true;
        };
        for (const Role role : {Role::FlatDark, Role::FlatBias}) {
            if (auto got = get(role, pedestal.first); !got) {
                return fail(got.error());
            }
        }
        if (auto got = get(Role::FlatScaledDark, pedestal.scaledDark); !got) {
            return fail(got.error());
        }
        return pedestal;
    }

    static Result<std::optional<Master>> load(const Pedestal& pedestal, double exposureSeconds) {
        if (!pedestal.first) {
            return std::optional<Master>();
        }
        auto first = calibrate::readMaster(pedestal.first->path);
        if (!first) {
            return fail(first.error());
        }
        if (!pedestal.scaledDark) {
            return std::optional(std::move(*first));
        }
        auto dark = calibrate::readMaster(pedestal.scaledDark->path);
        if (!dark) {
            return fail(dark.error());
        }
        return std::optional(calibrate::scaledPedestal(
            *first, *dark, exposureSeconds / dark->example.exposureSeconds));
    }

    [[nodiscard]] ProductKey started() const {
        ProductKey key("masters", versionOf("masters"));
        MasterSettings settings = run_.settings;
        settings.library.clear(); // where masters are kept changes none of them
        return key.settings(settingsText(settings));
    }

    Result<bool> addFrames(ProductKey& key, const FrameGroup& group) {
        key.input("taken for", meaningOf(group.example));
        for (const auto& info : group.frames) {
            // Masters of the library are none of the night's frames.
            auto id = info.id.isKnown() ? Result<FrameId>(info.id) : run_.file.frameId(info.path);
            if (!id) {
                return fail(id.error());
            }
            key.input("frame", id->text());
        }
        return true;
    }

    Result<ProductKey> keyOf(std::size_t group) {
        ProductKey key = started();
        if (auto added = addFrames(key, groups_[group]); !added) {
            return fail(added.error());
        }
        return key;
    }

    Result<MasterFile> make(const ProductKey& made,
                            const std::string& title,
                            FrameKind kind,
                            const std::function<Result<Master>()>& build) {
        const std::string key = made.hex();
        if (const auto known = built_.find(key); known != built_.end()) {
            return known->second;
        }
        if (const auto product = run_.file.product(key)) {
            return built_[key] = {product->path, key};
        }
        run_.job.message(fmt::format("Building master {}", title));
        auto master = build();
        if (!master) {
            return fail(master.error());
        }
        if (run_.isStopped()) {
            return stopped();
        }
        for (const std::string& warning : master->warnings) {
            run_.job.message(warning);
        }
        master->key = key;
        const auto path =
            run_.out / "masters" / fmt::format("{}_{}.fits", frame::name(kind), key.substr(0, 12));
        if (auto written = calibrate::writeMaster(path, *master); !written) {
            return fail(written.error());
        }
        const Product product{key, ProductKind::Master, {}, {}, path, "{}", {}, made.origin()};
        if (auto stored = run_.file.putProducts(std::span(&product, 1)); !stored) {
            return fail(stored.error());
        }
        if (auto kept = keepInLibrary(*master); !kept) {
            return fail(kept.error());
        }
        return built_[key] = {path, key};
    }

    Result<bool> keepInLibrary(const Master& master) {
        if (run_.settings.library.empty()) {
            return true;
        }
        if (auto made = makeFolder(run_.settings.library); !made) {
            return made;
        }
        const auto path = calibrate::libraryPath(run_.settings.library, master);
        std::error_code status;
        return std::filesystem::exists(path, status) ? Result<bool>(true)
                                                     : calibrate::writeMaster(path, master);
    }

    CalibrationRun& run_;
    const std::vector<FrameGroup>& groups_;
    std::map<std::string, MasterFile> built_;
};

/// Gain and read noise: from the recipe, else the header, else measured; what was measured is held against
/// what was stated.
Result<frame::NoiseModel> noiseFor(CalibrationRun& run,
                                   const std::vector<FrameGroup>& groups,
                                   const FrameGroup& lights,
                                   calibrate::MasterMatch& match,
                                   NoiseMeter& meter) {
    frame::NoiseModel noise;
    const auto& info = lights.example;
    const CalibrationSettings& settings = run.settings;
    auto gain = settings.electronsPerAdu ? settings.electronsPerAdu : info.electronsPerAdu;
    auto read = settings.readNoiseElectrons ? settings.readNoiseElectrons : info.readNoiseElectrons;
    const auto bias = std::find_if(groups.begin(), groups.end(), [&](const FrameGroup& group) {
        return group.example.kind == FrameKind::Bias && !group.isReady() &&
               group.frames.size() > 1 && calibrate::sameDetector(group.example, info);
    });
    const auto flat = match.group(Role::Flat);
    if (flat && !groups[*flat].isReady() && bias != groups.end()) {
        const auto biasIndex = static_cast<std::size_t>(bias - groups.begin());
        const auto met = meter.measure(*flat, biasIndex);
        if (!met) {
            return fail(met.error());
        }
        if (const auto& measured = *met) {
            for (std::string& sentence : calibrate::noiseDisagreements(*measured, gain, read)) {
                match.warnings.push_back(std::move(sentence));
            }
            if (!gain || !read) {
                run.job.message(fmt::format("{}: gain {:.3f} e-/ADU and read noise {:.2f} e- "
                                            "measured from flats and biases",
                                            lights.title(),
                                            measured->electronsPerAdu,
                                            measured->readNoiseElectrons));
            }
            gain = gain.value_or(measured->electronsPerAdu);
            read = read.value_or(measured->readNoiseElectrons);
        }
    }
    if (!gain) {
        match.warnings.push_back(
            "The gain is unknown and taken as 1; error bars of bright sources will be off. State "
            "gain_e_per_adu in the recipe, or take two flats and two biases.");
    }
    noise.electronsPerAdu = gain.value_or(1.0);
    noise.readNoiseElectrons = read.value_or(0.0);
    noise.saturationAdu =
        settings.saturationAdu ? *settings.saturationAdu : info.saturationAdu.value_or(65535.0);
    return noise;
}

Result<bool> addWithoutFlats(CalibrationRun& run,
                             const FrameGroup& lights,
                             MasterBuilder& builder,
                             SeriesCalibration& result) {
    if (run.settings.withoutFlats == WithoutFlats::Level) {
        result.levelled = true;
        result.withoutFlats = "each frame is levelled to its smooth background";
    } else if (run.settings.withoutFlats == WithoutFlats::Sky) {
        std::optional<MasterFile> pedestal;
        for (const Role role : {Role::Bias, Role::Dark}) {
            if (const auto found = result.masters.find(role); found != result.masters.end()) {
                pedestal = found->second;
            }
        }
        auto flat = builder.skyFlat(lights, pedestal);
        if (flat) {
            result.masters[Role::Flat] = *flat;
            result.withoutFlats =
                "the flat is made of the series' own sky; a gradient of the sky stays in it";
        } else if (flat.error().id == ErrorId::CalibrateNoFrames) {
            result.match.warnings.push_back(toMessage(flat.error()));
        } else {
            return fail(flat.error());
        }
    }
    return true;
}

Result<SeriesCalibration> calibrateSeries(CalibrationRun& run,
                                          const std::vector<FrameGroup>& groups,
                                          const FrameGroup& lights,
                                          calibrate::MasterMatch match,
                                          MasterBuilder& builder,
                                          NoiseMeter& meter) {
    SeriesCalibration result;
    result.match = std::move(match);
    const auto noise = noiseFor(run, groups, lights, result.match, meter);
    if (!noise) {
        return fail(noise.error());
    }
    result.noise = *noise;
    if (const auto current = lights.example.darkElectronsPerSecond;
        current && !result.match.group(Role::Dark) && !result.match.group(Role::ScaledDark)) {
        result.match.warnings.push_back(
            fmt::format("There is no dark: by your profile of the camera {:.3g} e- of dark current "
                        "stay in each pixel.",
                        *current * lights.example.exposureSeconds));
    }
    for (const Role role : {Role::Dark, Role::Bias, Role::ScaledDark}) {
        if (const auto group = result.match.group(role)) {
            auto master = builder.plain(*group);
            if (!master) {
                return fail(master.error());
            }
            result.masters[role] = std::move(*master);
        }
    }
    if (result.masters.contains(Role::ScaledDark)) {
        auto light = frame::readFrame(lights.frames.front().path);
        const auto bias = calibrate::readMaster(result.masters[Role::Bias].path);
        const auto dark = calibrate::readMaster(result.masters[Role::ScaledDark].path);
        if (light && bias && dark) {
            result.darkScale = calibrate::fitDarkScale(
                light->image, lights.example.exposureSeconds, *bias, *dark, result.noise);
            run.job.message(
                result.darkScale->fitted
                    ? fmt::format(
                          "{}: the dark is scaled by {:.3f} +- {:.3f}, as {} hot pixels say",
                          lights.title(),
                          result.darkScale->scale,
                          result.darkScale->error,
                          result.darkScale->pixels)
                    : fmt::format(
                          "{}: the dark is scaled by {:.3f}, the ratio of the exposures; its hot "
                          "pixels are too few to say",
                          lights.title(),
                          result.darkScale->scale));
        }
    }
    if (const auto group = result.match.group(Role::Flat)) {
        auto flat = builder.flat(*group, result.match, result.noise.saturationAdu);
        if (flat) {
            result.masters[Role::Flat] = std::move(*flat);
        } else if (flat.error().id == ErrorId::CalibrateNoFrames) {
            result.match.warnings.push_back(toMessage(flat.error()));
        } else {
            return fail(flat.error());
        }
    }
    if (!result.masters.contains(Role::Flat)) {
        if (auto added = addWithoutFlats(run, lights, builder, result); !added) {
            return fail(added.error());
        }
    }
    for (const std::string& warning : result.match.warnings) {
        run.job.message(lights.title() + ": " + warning);
    }
    const bool darkless =
        !result.masters.contains(Role::Dark) && !result.masters.contains(Role::ScaledDark);
    const auto& gradient = run.settings.gradient;
    result.sharesPixels = (darkless && lights.frames.size() >= kFewestForDefects) ||
                          (gradient.removed && gradient.perSeries);
    return result;
}

/// Groups that hold a frame of a group of an earlier time keep that one's id: the observer's decisions hang on it.
void keepIds(std::vector<FrameGroup>& groups, const std::map<FrameId, SeriesId>& known) {
    std::set<SeriesId> taken;
    for (FrameGroup& group : groups) {
        for (const auto& info : group.frames) {
            const auto earlier = known.find(info.id);
            if (earlier != known.end() && taken.insert(earlier->second).second) {
                group.id = earlier->second;
                break;
            }
        }
    }
}

} // namespace

TakenPart takenPart(const frame::FrameInfo& info, const calibrate::FrameGroup& group) {
    TakenPart part;
    part.frame = info.id;
    part.raw = info.path;
    part.series = group.id;
    part.seriesTitle = group.title();
    part.middle = *info.midExposure;
    part.exposureSeconds = info.exposureSeconds;
    part.filter = info.filter;
    part.timeUnsure = info.timeUnsure;
    return part;
}

NightMatch matchNight(std::span<const frame::FrameInfo> frames,
                      std::span<const frame::FrameInfo> library,
                      const MatchDecisions& decisions,
                      std::span<const calibrate::Override> use,
                      const std::map<FrameId, SeriesId>& known) {
    std::vector<frame::FrameInfo> all(frames.begin(), frames.end());
    all.insert(all.end(), library.begin(), library.end());
    NightMatch night;
    night.groups = calibrate::groupFrames(all);
    keepIds(night.groups, known);
    for (std::size_t i = 0; i < night.groups.size(); ++i) {
        if (night.groups[i].example.kind != FrameKind::Light) {
            continue;
        }
        std::vector<calibrate::Override> wanted;
        if (const auto chosen = decisions.find(night.groups[i].id); chosen != decisions.end()) {
            wanted = chosen->second;
        }
        wanted.insert(wanted.end(), use.begin(), use.end()); // the first of a role counts
        night.series[i] = calibrate::matchMasters(night.groups[i], night.groups, wanted);
    }
    return night;
}

Result<bool> mastersStep(CalibrationRun& run) {
    if (run.hasMasters) {
        return true;
    }
    run.hasMasters = true;
    std::vector<frame::FrameInfo> usable;
    for (const auto& info : run.frames) {
        if (info.kind == FrameKind::Light && !info.midExposure) {
            run.failures.push_back(
                {ErrorId::FrameNoTime,
                 info.timeReason.find('=') == std::string::npos
                     ? "The header gives no date with a time of day (DATE-OBS, DATE-AVG, MJD-OBS, "
                       "...); a light without its time cannot be used. Correct a copy of the file."
                     : "The header gives no date with a time of day: " + info.timeReason +
                           ". A light without its time cannot be used; correct a copy of the file.",
                 info.path.string()});
            continue;
        }
        usable.push_back(info);
    }
    auto known = run.file.seriesOfFrames();
    if (!known) {
        return fail(known.error());
    }
    // Where every frame belongs is told by all of them; what is made, by those that are not left out.
    const auto all = matchNight(usable, {}, {}, {}, *known);
    for (const FrameGroup& group : all.groups) {
        for (const auto& info : group.frames) {
            run.seriesOf[info.id] = group.id;
            if (group.example.kind == FrameKind::Light && run.decided.leftOut.contains(info.id)) {
                LightRecord light;
                static_cast<TakenPart&>(light) = takenPart(info, group);
                light.calibrated = info.path;
                light.width = info.width;
                light.height = info.height;
                run.leftOut.push_back(std::move(light));
            }
        }
    }
    if (auto stored = run.file.replaceFrames(run.frames, run.seriesOf); !stored) {
        return stored;
    }
    run.protectedSky = ProtectedSky(run.settings, run.decided, usable);
    for (const std::string& file : run.protectedSky.unknown()) {
        run.failures.push_back({ErrorId::NightBadMarks,
                                "A mark of what is no sky names this file, which is no light of "
                                "this night.",
                                file});
    }
    std::erase_if(usable, [&](const auto& info) { return run.decided.leftOut.contains(info.id); });
    std::vector<frame::FrameInfo> library;
    if (!run.settings.library.empty()) {
        auto scanned = calibrate::scanLibrary(run.settings.library, run.job);
        if (!scanned) {
            return fail(scanned.error());
        }
        library = std::move(*scanned);
    }
    const auto shared = std::make_shared<const NightMatch>(
        matchNight(usable, library, run.decided.masters, run.settings.use, run.seriesOf));
    const NightMatch& night = *shared;
    if (auto made = makeFolder(run.out / infoOf(ProductKind::Master).folder); !made) {
        return made;
    }
    MasterBuilder builder(run, night.groups);
    NoiseMeter meter(run.file, night.groups);
    for (const auto& [index, match] : night.series) {
        if (run.isStopped()) {
            return stopped();
        }
        run.job.progress("Building masters",
                         static_cast<int>(run.series.size()),
                         static_cast<int>(night.series.size()));
        const FrameGroup& lights = night.groups[index];
        auto calibration = calibrateSeries(run, night.groups, lights, match, builder, meter);
        if (!calibration) {
            return fail(calibration.error());
        }
        run.series.push_back({lights, std::move(*calibration), shared});
    }
    if (run.series.empty()) {
        return fail(
            ErrorId::NightNoLights,
            "There is no light frame with a time here; give the folder that holds the night's "
            "lights.",
            run.folder.string());
    }
    return true;
}

} // namespace pathmark::night
