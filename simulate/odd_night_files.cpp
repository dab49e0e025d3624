#include "core/base/atomic_file.h"
#include "simulate/body_motion.h"
#include "simulate/night.h"
#include "simulate/odd_night.h"
#include "simulate/sky_files.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::simulate {
namespace {

namespace fs = std::filesystem;

std::string recipeOf(const OddNight& night) {
    const SiteScenario& site = night.scenario.site;
    std::string text = fmt::format("[site]\ncode = '{}'\nlongitude_deg = {:.6f}\nlatitude_deg = "
                                   "{:.6f}\naltitude_m = {:.1f}\n"
                                   "[catalog]\nstore = 'catalog'\nname = 'stars'\n"
                                   "[orbits]\nfiles = ['orbits/orbits.json', "
                                   "'orbits/minor-planets.txt']\n"
                                   "[report]\nobserver = '{}'\nmeasurer = 'O. Tamsin'\n"
                                   "telescope = '{}'\n",
                                   site.code,
                                   site.longitudeDegrees,
                                   site.latitudeDegrees,
                                   site.altitudeMetres,
                                   site.observer,
                                   site.telescope);
    if (night.clockErrorSeconds != 0.0) {
        text += "[equipment]\nfile = 'equipment.toml'\n";
    }
    return text;
}

/// The orbits as an old list has them: each body some arcseconds along its way.
Scenario withOldOrbits(const OddNight& night) {
    Scenario old = night.scenario;
    for (BodyScenario& body : old.bodies) {
        const Utc& time = old.series.front().start;
        const Vec3 now = seeBody(body, old.site, time).direction;
        BodyScenario ahead = body;
        constexpr double step = 1e-3; // degrees
        ahead.meanAnomalyDegrees += step;
        const double moved = 206264.806 * norm(seeBody(ahead, old.site, time).direction - now);
        body.meanAnomalyDegrees += step * night.orbitErrorArcsec / std::max(1e-3, moved);
    }
    return old;
}

} // namespace

Result<std::vector<FaultDone>> writeOddNight(const OddNight& night, const fs::path& folder) {
    if (auto made = simulateNight(night.scenario, folder, {}); !made) {
        return fail(made.error());
    }
    if (night.orbitErrorArcsec > 0.0) {
        if (auto written = writeOrbits(withOldOrbits(night), folder / "orbits"); !written) {
            return fail(written.error());
        }
    }
    std::vector<std::pair<const char*, std::string>> texts{{"recipe.toml", recipeOf(night)}};
    if (night.clockErrorSeconds != 0.0) {
        texts.emplace_back("equipment.toml",
                           fmt::format("[[camera]]\nname = '{}'\nclock_offset_s = {:.3f}\n",
                                       night.scenario.cameras.front().name,
                                       night.clockErrorSeconds));
    }
    for (const auto& [name, text] : texts) {
        if (auto written = writeWholeText(folder / name, text); !written) {
            return fail(written.error());
        }
    }
    return doFaults(night.faults, folder, night.scenario.seed);
}

} // namespace pathmark::simulate
