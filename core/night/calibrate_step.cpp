#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/calibrate/noise.h"
#include "core/night/context.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::night {
namespace {

using calibrate::FrameGroup;
using calibrate::Master;
using frame::FrameKind;

struct KeyedMaster {
    std::shared_ptr<const Master> master;
    std::string key;
};

/// Builds masters once each, from the store of products where they are there already.
class MasterBuilder {
  public:
    MasterBuilder(RunContext& context, const std::vector<FrameGroup>& groups)
        : context_(context), groups_(groups) {}

    Result<KeyedMaster> plain(std::size_t group) { return get(group, std::nullopt, 0.0); }

    Result<KeyedMaster>
    flat(std::size_t group, std::optional<std::size_t> pedestal, double saturation) {
        return get(group, pedestal, saturation);
    }

  private:
    Result<std::string>
    keyOf(std::size_t group, std::optional<std::size_t> pedestal, double saturation) {
        Digest digest;
        digest.add(kProductVersion).add("master").add(saturation);
        for (const auto& info : groups_[group].frames) {
            auto content = context_.file.fileDigest(info.path);
            if (!content) {
                return content;
            }
            digest.add(*content);
        }
        if (pedestal) {
            auto inner = keyOf(*pedestal, std::nullopt, 0.0);
            if (!inner) {
                return inner;
            }
            digest.add(*inner);
        }
        return digest.hex();
    }

    Result<KeyedMaster>
    get(std::size_t group, std::optional<std::size_t> pedestal, double saturation) {
        auto key = keyOf(group, pedestal, saturation);
        if (!key) {
            return fail(key.error());
        }
        if (const auto known = built_.find(*key); known != built_.end()) {
            return known->second;
        }
        if (const auto product = context_.file.product(*key)) {
            if (auto master = calibrate::readMaster(product->path)) {
                return remember(*key, std::move(*master));
            }
        }
        const FrameGroup& frames = groups_[group];
        context_.job.message("Building master " + frames.title());
        std::shared_ptr<const Master> under;
        if (pedestal) {
            auto inner = get(*pedestal, std::nullopt, 0.0);
            if (!inner) {
                return inner;
            }
            under = inner->master;
        }
        auto master = frames.example.kind == FrameKind::Flat
                          ? calibrate::buildFlat(frames, under.get(), saturation, context_.job)
                          : calibrate::buildMaster(frames, context_.job);
        if (!master) {
            return fail(master.error());
        }
        for (const std::string& warning : master->warnings) {
            context_.job.message(warning);
        }
        const auto path =
            context_.out / "masters" /
            fmt::format("{}_{}.fits", frame::name(frames.example.kind), key->substr(0, 12));
        auto header = calibrate::masterHeader(*master);
        header.set("PMKEY", *key);
        if (auto written = frame::writeFits(path, master->image, header); !written) {
            return fail(written.error());
        }
        if (auto stored = context_.file.putProduct({*key, "master", path, "{}"}); !stored) {
            return fail(stored.error());
        }
        return remember(*key, std::move(*master));
    }

    KeyedMaster remember(const std::string& key, Master master) {
        KeyedMaster keyed{std::make_shared<const Master>(std::move(master)), key};
        built_[key] = keyed;
        return keyed;
    }

    RunContext& context_;
    const std::vector<FrameGroup>& groups_;
    std::map<std::string, KeyedMaster> built_;
};

/// Gain and read noise: from the recipe, else the header, else measured.
frame::NoiseModel noiseFor(RunContext& context,
                           const std::vector<FrameGroup>& groups,
                           const FrameGroup& lights,
                           const calibrate::MasterMatch& match) {
    frame::NoiseModel noise;
    const auto& info = lights.example;
    auto gain =
        context.recipe.electronsPerAdu ? context.recipe.electronsPerAdu : info.electronsPerAdu;
    auto read = context.recipe.readNoiseElectrons ? context.recipe.readNoiseElectrons
                                                  : info.readNoiseElectrons;
    if (!gain || !read) {
        const auto bias = std::find_if(groups.begin(), groups.end(), [&](const FrameGroup& group) {
            return group.example.kind == FrameKind::Bias &&
                   calibrate::sameDetector(group.example, info);
        });
        if (match.flat && bias != groups.end()) {
            if (const auto measured = calibrate::measureNoise(groups[*match.flat], *bias)) {
                gain = gain.value_or(measured->electronsPerAdu);
                read = read.value_or(measured->readNoiseElectrons);
                context.job.message(fmt::format("{}: gain {:.3f} e-/ADU and read noise {:.2f} e- "
                                                "measured from flats and biases",
                                                lights.title(),
                                                *gain,
                                                *read));
            }
        }
    }
    if (!gain) {
        context.job.message(
            lights.title() +
            ": the gain is unknown and taken as 1; error bars of bright sources will be "
            "off. State gain_e_per_adu in the recipe.");
    }
    noise.electronsPerAdu = gain.value_or(1.0);
    noise.readNoiseElectrons = read.value_or(0.0);
    noise.saturationAdu = context.recipe.saturationAdu.value_or(65535.0);
    return noise;
}

Result<SeriesCalibration> calibrateSeries(RunContext& context,
                                          const std::vector<FrameGroup>& groups,
                                          const FrameGroup& lights,
                                          MasterBuilder& builder) {
    SeriesCalibration result;
    result.match = calibrate::matchMasters(lights, groups);
    result.noise = noiseFor(context, groups, lights, result.match);
    Digest digest;
    digest.add(kProductVersion);
    const auto use = [&](std::optional<std::size_t> group,
                         std::shared_ptr<const Master>& into) -> Result<bool> {
        if (!group) {
            return true;
        }
        auto master = builder.plain(*group);
        if (!master) {
            return fail(master.error());
        }
        into = master->master;
        digest.add(master->key);
        return true;
    };
    for (auto& [group, into] : {std::pair{result.match.dark, &result.dark},
                                std::pair{result.match.bias, &result.bias},
                                std::pair{result.match.scaledDark, &result.scaledDark}}) {
        if (auto done = use(group, *into); !done) {
            return fail(done.error());
        }
    }
    if (result.match.flat) {
        const auto pedestal = result.match.flatDark ? result.match.flatDark : result.match.flatBias;
        auto flat = builder.flat(*result.match.flat, pedestal, result.noise.saturationAdu);
        if (flat) {
            result.flat = flat->master;
            digest.add(flat->key);
        } else if (flat.error().id == ErrorId::CalibrateNoFrames) {
            result.match.warnings.push_back(toMessage(flat.error()));
        } else {
            return fail(flat.error());
        }
    }
    for (const std::string& warning : result.match.warnings) {
        context.job.message(lights.title() + ": " + warning);
    }
    digest.add(result.noise.electronsPerAdu)
        .add(result.noise.readNoiseElectrons)
        .add(result.noise.saturationAdu);
    result.digest = digest.hex();
    return result;
}

} // namespace

Result<std::vector<Series>> calibrateStep(RunContext& context,
                                          const std::vector<frame::FrameInfo>& frames) {
    std::vector<frame::FrameInfo> usable;
    for (const auto& info : frames) {
        if (context.file.isExcluded(info.path)) {
            continue;
        }
        if (info.kind == FrameKind::Light && !info.midExposure) {
            context.failures.push_back(
                {ErrorId::FrameNoTime,
                 "The header gives no date with a time of day (DATE-OBS, DATE-AVG, MJD-OBS, ...); "
                 "a "
                 "light without its time cannot be used. Correct a copy of the file.",
                 info.path.string()});
            continue;
        }
        usable.push_back(info);
    }
    const auto groups = calibrate::groupFrames(usable);
    if (auto made = makeFolder(context.out / "masters"); !made) {
        return fail(made.error());
    }
    MasterBuilder builder(context, groups);
    std::vector<Series> series;
    for (const FrameGroup& group : groups) {
        if (group.example.kind != FrameKind::Light) {
            continue;
        }
        if (context.job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        context.job.progress("Building masters", static_cast<int>(series.size()), 0);
        auto calibration = calibrateSeries(context, groups, group, builder);
        if (!calibration) {
            return fail(calibration.error());
        }
        series.push_back({group, std::move(*calibration)});
    }
    if (series.empty()) {
        return fail(
            ErrorId::NightNoLights,
            "There is no light frame with a time here; give the folder that holds the night's "
            "lights.",
            context.folder.string());
    }
    return series;
}

} // namespace pathmark::night
