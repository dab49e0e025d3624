#include "core/night/sweep_motions.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::night {
namespace {

constexpr double kUnknownError = 8640.0; ///< seconds along the orbit, where none is stated
constexpr double kLeastError = 600.0;
constexpr double kMostError = 86400.0;
constexpr double kMore = 0.05; ///< of the rate, and radians

identify::RateSector sectorOf(const orbit::MotionBounds& bounds) {
    const Angle half = Angle::radians(std::max(kMore, bounds.angleSpread.radians()));
    return {(1.0 - kMore) * bounds.leastRate,
            (1.0 + kMore) * bounds.mostRate,
            normalised(bounds.positionAngle - half).degrees(),
            normalised(bounds.positionAngle + half).degrees()};
}

} // namespace

Result<identify::RateSector>
sectorOfOrbit(const std::function<Result<orbit::Place>(const Utc&)>& at, const Utc& middle) {
    const auto now = at(middle);
    if (!now) {
        return fail(now.error());
    }
    double seconds = kUnknownError;
    if (now->uncertainty) {
        seconds = std::clamp(180.0 * now->uncertainty->major.arcsec() /
                                 std::max(0.01, now->rateArcsecPerMin()),
                             kLeastError,
                             kMostError);
    }
    double turn = kMore;
    double least = now->rateArcsecPerMin();
    double most = least;
    for (const double late : {-seconds, seconds}) {
        const auto place = at(middle.plusSeconds(late));
        if (!place) {
            return fail(place.error());
        }
        least = std::min(least, place->rateArcsecPerMin());
        most = std::max(most, place->rateArcsecPerMin());
        turn = std::max(
            turn,
            std::abs(std::remainder((place->positionAngle() - now->positionAngle()).radians(),
                                    2.0 * std::numbers::pi)));
    }
    const Angle half = Angle::radians(turn);
    return identify::RateSector{(1.0 - kMore) * least,
                                (1.0 + kMore) * most,
                                normalised(now->positionAngle() - half).degrees(),
                                normalised(now->positionAngle() + half).degrees()};
}

Result<identify::RateSector>
sectorOfBody(const OrbitSources& sources, BodyOrbitCase observed, const Utc& middle) {
    const std::string name = observed.given.body;
    if (const auto judged = judgeBody(sources, std::move(observed), middle);
        judged && judged->bounds) {
        return sectorOf(*judged->bounds);
    }
    const auto known = sources.catalog.find(name);
    if (!known) {
        return fail(ErrorId::OrbitUnknownBody,
                    "No orbit of this body is known, and its observations are too few for one.",
                    name);
    }
    const auto motion = orbit::Ephemeris::make(sources.catalog.elements(*known),
                                               sources.tables.planets,
                                               middle.plusSeconds(-kMostError - 60.0),
                                               middle.plusSeconds(kMostError + 60.0));
    if (!motion) {
        return fail(motion.error());
    }
    return sectorOfOrbit(
        [&](const Utc& time) -> Result<orbit::Place> {
            const auto observer = orbit::observerAt(
                sources.tables.planets, sources.recipe.site, time, sources.tables.turn);
            if (!observer) {
                return fail(observer.error());
            }
            return motion->at(*observer);
        },
        middle);
}

Result<std::vector<identify::PopulationMotion>> populationsIn(const std::filesystem::path& recipe,
                                                              const LightRecord& light) {
    const auto read = readRecipe(recipe);
    if (!read) {
        return fail(read.error());
    }
    const auto tables = openSkyTables(read->skyTables);
    if (!tables) {
        return fail(tables.error());
    }
    const auto observer =
        orbit::observerAt(tables->planets, read->site, light.middle, tables->turn);
    if (!observer) {
        return fail(observer.error());
    }
    std::vector<identify::PopulationMotion> all;
    for (const identify::Population population : identify::kPopulations) {
        auto motion = identify::motionOf(population, *observer, tables->planets, light.skyMiddle());
        if (!motion) {
            return fail(motion.error());
        }
        all.push_back(std::move(*motion));
    }
    return all;
}

} // namespace pathmark::night
