#include "core/night/body_orbit.h"

#include "core/night/known_sites.h"

namespace pathmark::night {

namespace fs = std::filesystem;

orbit::Observation observationOf(const MeasurementRecord& m, const Recipe& recipe) {
    orbit::Observation o;
    o.body = m.body.text();
    o.time = m.time;
    o.sky = m.sky;
    o.station = recipe.site.code;
    o.mode = recipe.head.detector.empty() ? "CCD" : recipe.head.detector;
    o.band = m.band;
    o.starCatalogue = recipe.catalogAdesName;
    o.magnitude = m.magnitude;
    o.sigmaRaArcsec = m.raErrorArcsec;
    o.sigmaDecArcsec = m.decErrorArcsec;
    return o;
}

Result<OrbitSources> readOrbitSources(const fs::path& recipePath, const Job& job) {
    auto recipe = readRecipe(recipePath);
    if (!recipe) {
        return fail(recipe.error());
    }
    auto tables = openSkyTables(recipe->skyTables);
    if (!tables) {
        return fail(tables.error());
    }
    auto codes = knownSites(recipe->siteCodeFiles);
    if (!codes) {
        return fail(codes.error());
    }
    codes->add(recipe->site, recipe->head.observatory);
    identify::OrbitCatalog::Reading reading;
    auto catalog =
        identify::OrbitCatalog::open(recipe->orbitFiles, recipe->orbitIndex, job, reading);
    if (!catalog) {
        return fail(catalog.error());
    }
    OrbitSources sources{std::move(*recipe),
                         std::move(*tables),
                         std::move(*codes),
                         std::move(*catalog),
                         {},
                         std::move(reading.badLines)};
    for (const fs::path& file : sources.recipe.observationFiles) {
        auto list = orbit::readObservationFile(file);
        if (!list) {
            return fail(list.error());
        }
        auto& all = sources.others.observations;
        all.insert(all.end(), list->observations.begin(), list->observations.end());
        sources.problems.insert(
            sources.problems.end(), list->badLines.begin(), list->badLines.end());
    }
    return sources;
}

BodyOrbitCase orbitCaseOf(const OrbitSources& sources,
                          std::span<const MeasurementRecord> measurements,
                          const std::set<std::string>& switchedOff,
                          const BodyId& body) {
    BodyOrbitCase result;
    result.given.body = body.text();
    result.given.observations = orbit::observationsOf(sources.others, body.text()).observations;
    for (const orbit::Observation& o : result.given.observations) {
        result.ids.push_back(o.station + " " + toIso(o.time));
    }
    result.given.old = result.given.observations.size();
    for (const MeasurementRecord& m : measurements) {
        // A candidate's positions are parked until somebody keeps them, but an orbit helps to decide.
        const bool counts = m.state == MeasurementState::Kept ||
                            (m.candidate && m.state == MeasurementState::Parked);
        if (m.body == body && m.seen && counts) {
            result.given.observations.push_back(observationOf(m, sources.recipe));
            result.ids.push_back(m.id);
        }
    }
    for (const std::string& id : result.ids) {
        result.given.switchedOff.push_back(switchedOff.contains(id));
    }
    if (const auto known = sources.catalog.find(body.text())) {
        result.given.known = sources.catalog.elements(*known);
    }
    return result;
}

Result<BodyOrbit> judgeBody(const OrbitSources& sources,
                            BodyOrbitCase what,
                            const std::optional<Utc>& time,
                            const std::stop_token& stop) {
    const orbit::Planets& planets = sources.tables.planets;
    orbit::CorrectionOptions options;
    options.stop = stop;
    auto judgement =
        orbit::judgeOrbit(what.given, planets, sources.codes, sources.tables.turn, options);
    if (!judgement) {
        return fail(judgement.error());
    }
    BodyOrbit result{std::move(what), std::move(*judgement), {}, {}, {}};
    if (result.judgement.fit) {
        result.errors = orbit::elementErrorsOf(*result.judgement.fit);
    }
    if (time) {
        const auto observer =
            orbit::observerAt(planets, sources.recipe.site, *time, sources.tables.turn);
        if (observer && result.judgement.cloud) {
            result.bounds = orbit::boundsOf(*result.judgement.cloud, planets, *observer);
        } else if (observer) {
            if (auto bounds = orbit::boundsOf(*result.judgement.fit, planets, *observer)) {
                result.bounds = *bounds;
            }
        }
    }
    result.tonight = orbit::tonightOf(result.judgement, result.what.given, planets);
    return result;
}

} // namespace pathmark::night
