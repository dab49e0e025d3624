#include "core/catalog/band.h"
#include "core/night/steps/frame_steps.h"

#include <algorithm>
#include <set>
#include <tuple>

namespace pathmark::night {
namespace {

/// Leaves out by the recipe's rules; the frames stay, and say why.
void applyExclusions(const NightRun& run, std::vector<LightRecord>& lights) {
    for (const ExclusionRule& rule : run.recipe.exclusions) {
        const auto out = fallsOut(lights, rule);
        for (std::size_t i = 0; i < lights.size(); ++i) {
            if (out[i] && lights[i].leftOutBy.empty()) {
                lights[i].leftOutBy = words(rule);
                run.job().message(lights[i].raw.filename().string() + ": left out, " + words(rule));
            }
        }
    }
}

/// Filters whose names say no band: their stars are compared in G, which is not to be silent.
void tellUnknownFilters(const NightRun& run, const std::vector<LightRecord>& lights) {
    std::set<std::string> told;
    for (const LightRecord& light : lights) {
        const bool isInG = light.photometry && light.photometry->band == catalog::Band::G;
        if (isInG && !catalog::bandForFilter(light.filter) && told.insert(light.filter).second) {
            run.job().message("filter " + light.filter +
                              ": no band is known for it; brightness is compared with Gaia's G");
        }
    }
}

/// A frame that the observer left out is shown as it was when it was last made.
void addLeftOut(NightRun& run, std::vector<LightRecord>& all, std::span<const LightRecord> before) {
    for (const LightRecord& taken : run.calibration.leftOut) {
        const auto known = std::find_if(before.begin(), before.end(), [&](const LightRecord& b) {
            return b.frame == taken.frame;
        });
        LightRecord light = known == before.end() ? taken : *known;
        static_cast<TakenPart&>(light) = taken;
        const std::string& rule = run.calibration.decided.leftOut.at(light.frame);
        light.leftOutBy = rule.empty() ? "by hand" : rule;
        all.push_back(std::move(light));
    }
}

} // namespace

Result<bool> lightsStep(NightRun& run) {
    const auto before = run.file().lights();
    if (!before) {
        return fail(before.error());
    }
    auto lights = passFrames(run.calibration, &run, frameSteps());
    if (!lights) {
        return fail(lights.error());
    }
    for (const LightRecord& light : *lights) {
        if (!light.problem.empty()) {
            run.failed({ErrorId::SolveNoMatch, light.problem, light.raw.string()});
        }
    }
    tellUnknownFilters(run, *lights);
    const auto inTime = [](const LightRecord& a, const LightRecord& b) {
        return std::tuple(a.middle.julian(), a.frame) < std::tuple(b.middle.julian(), b.frame);
    };
    std::sort(lights->begin(), lights->end(), inTime);
    applyExclusions(run, *lights);
    std::vector<LightRecord> all = *lights;
    addLeftOut(run, all, *before);
    std::sort(all.begin(), all.end(), inTime);
    if (auto stored = run.file().replaceLights(all); !stored) {
        return stored;
    }
    std::erase_if(*lights, [](const LightRecord& light) { return !light.leftOutBy.empty(); });
    run.lights = std::move(*lights);
    return true;
}

} // namespace pathmark::night
