#include "command/sweep_fields.h"

#include "command/body_search.h"
#include "command/temporary_folder.h"
#include "core/night/measure_file.h"
#include "core/night/recovery.h"
#include "core/night/same_field.h"
#include "core/night/sweep_field.h"
#include "core/night/sweep_lights.h"
#include "core/night/sweep_motions.h"
#include "core/night/swept_bodies.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace pathmark::command {
namespace {

constexpr double kUsualMostRate = 10.0; ///< arcsec per minute

/// The motions that a body may have whose orbit is known.
Result<sweep::MotionBounds> boundsOf(const BodyArguments& body, const Utc& middle) {
    const auto sought = seekBody(body);
    if (!sought) {
        return fail(sought.error());
    }
    const auto sector =
        night::sectorOfOrbit([&](const Utc& time) { return sought->at(time); }, middle);
    if (!sector) {
        return fail(sector.error());
    }
    sweep::MotionBounds bounds;
    bounds.leastRate = sector->least;
    bounds.mostRate = sector->most;
    bounds.from = Angle::degrees(sector->fromDegrees);
    bounds.to = Angle::degrees(sector->toDegrees);
    return bounds;
}

Result<sweep::MotionBounds> boundsOf(const SweepArguments& a, const sweep::LightMaps& maps) {
    if (!a.body.body.empty()) {
        return boundsOf(a.body, maps.origin());
    }
    sweep::MotionBounds bounds;
    bounds.leastRate = sweep::leastRate(maps);
    bounds.mostRate = kUsualMostRate;
    if (!a.rate.empty()) {
        bounds.leastRate = std::max(a.rate[0], bounds.leastRate);
        bounds.mostRate = a.rate[1];
    }
    if (!a.angle.empty()) {
        bounds.from = Angle::degrees(a.angle[0]);
        bounds.to = Angle::degrees(a.angle[1]);
    }
    return bounds;
}

/// Magnitudes by a catalogue, where the lights' own headers state none.
Result<bool> learnZeroPoint(const SweepArguments& a,
                            const frame::ReadingRules& rules,
                            std::vector<night::StackLight>& lights) {
    const auto store = openCatalog(a.catalog);
    if (!store) {
        return fail(store.error());
    }
    if (!*store) {
        return true;
    }
    const auto file = night::MeasurableFile::open(
        lights.front().info.path, a.wcsFolder, rules, pointerTo(*store));
    if (!file) {
        return fail(file.error());
    }
    if (const auto& match = file->photometry()) {
        lights.front().zeroPoint =
            match->zeroPoint - 2.5 * std::log10(lights.front().electronsPerUnit);
        lights.front().band = std::string(catalog::name(match->band));
    }
    return true;
}

/// Known bodies in the middle light of a field.
Result<std::vector<night::PredictionRecord>>
knownBodies(const SweepArguments& a, const std::vector<night::StackLight>& lights) {
    std::vector<night::PredictionRecord> known;
    if (a.body.orbits.empty()) {
        return known;
    }
    const auto search = openBodySearch({a.body.orbits, a.body.sky, a.indexFolder}, a.console);
    if (!search) {
        return fail(search.error());
    }
    const night::StackLight& light = lights[lights.size() / 2];
    const auto frame = identify::solvedFrame(light.info, light.place.wcs, {});
    if (!frame) {
        return fail(frame.error());
    }
    Result<bool> outcome = true;
    identify::searchFrames(search->frames(),
                           std::span(&*frame, 1),
                           a.console.job(),
                           [&](auto, const auto& bodies, double) {
                               if (!bodies) {
                                   outcome = fail(bodies.error());
                                   return;
                               }
                               for (const auto& body : *bodies) {
                                   night::PredictionRecord p;
                                   p.title = search->catalog.name(body.orbit);
                                   p.time = body.place.time;
                                   p.sky = body.place.sky;
                                   p.rateArcsecPerMin = body.place.rateArcsecPerMin();
                                   p.positionAngleDegrees = body.place.positionAngle().degrees();
                                   p.sigmaMajorArcsec = body.place.uncertainty
                                                            ? body.place.uncertainty->major.arcsec()
                                                            : 0.0;
                                   known.push_back(std::move(p));
                               }
                           });
    if (!outcome) {
        return fail(outcome.error());
    }
    return known;
}

nlohmann::json entryOf(const night::CandidateMeasurement& m) {
    const auto& measured = m.measured;
    return {{"mid_time", toIso(m.middle)},
            {"ra", measured.sky.longitude.degrees()},
            {"dec", measured.sky.latitude.degrees()},
            {"ra_err_arcsec", measured.raErrorArcsec},
            {"dec_err_arcsec", measured.decErrorArcsec},
            {"mag", finite(measured.magnitude)},
            {"mag_err", measured.magnitude ? finite(measured.magnitudeError) : nlohmann::json()},
            {"snr", measured.snr}};
}

/// What is told of a candidate; `name`: of the known body that it is, or empty.
nlohmann::json candidateEntry(const sweep::Candidate& c,
                              const std::optional<double>& magnitude,
                              const std::string& name,
                              std::span<const night::CandidateMeasurement> measured) {
    nlohmann::json measurements = nlohmann::json::array();
    for (const auto& m : measured) {
        measurements.push_back(entryOf(m));
    }
    return {{"ra", c.sky.longitude.degrees()},
            {"dec", c.sky.latitude.degrees()},
            {"time", toIso(c.time)},
            {"rate_arcsec_per_min", c.rateArcsecPerMin},
            {"position_angle_deg", c.positionAngle.degrees()},
            {"snr", c.snr},
            {"mag", finite(magnitude)},
            {"log10_false_alarms", c.log10FalseAlarms},
            {"known_as", name.empty() ? nlohmann::json() : nlohmann::json(name)},
            {"measurements", std::move(measurements)}};
}

/// The sweep of one field, from its lights to what a document says of it.
class FieldSweep {
  public:
    FieldSweep(const SweepArguments& a, std::vector<night::StackLight> lights)
        : a_(a), lights_(std::move(lights)) {}

    Result<bool> make(const frame::ReadingRules& rules);

    /// Adds what was found to a document.
    void addTo(nlohmann::json& document) const;

  private:
    void tellPlan(const sweep::SweepPlan& plan, const sweep::MotionBounds& bounds) const;
    Result<bool> nameAll();
    void tellFound() const;

    const SweepArguments& a_;
    std::vector<night::StackLight> lights_;
    night::SweptLights swept_;
    std::vector<std::string> names_; ///< of known bodies, for each candidate; empty: none
};

void FieldSweep::tellPlan(const sweep::SweepPlan& plan, const sweep::MotionBounds& bounds) const {
    const auto room = night::roomFor(night::sweepViews(lights_), plan.bytes);
    a_.console.say(fmt::format(
        "{} frames, {} motions from {:.2f} to {:.2f} arcsec per minute, {:.2g} additions: about "
        "{:.0f} s on this machine; {:.1f} GB of memory, {:.1f} GB of disk.",
        lights_.size(),
        plan.motions,
        bounds.leastRate,
        bounds.mostRate,
        plan.additions,
        plan.seconds() + night::secondsToPrepare(night::sweepViews(lights_)),
        room.memory / 1e9,
        room.disk / 1e9));
}

/// The names of the known bodies that the candidates are; empty: of none.
Result<bool> FieldSweep::nameAll() {
    names_.resize(swept_.found.candidates.size());
    if (names_.empty()) {
        return true;
    }
    const auto bodies = knownBodies(a_, lights_);
    if (!bodies) {
        return fail(bodies.error());
    }
    std::vector<const night::PredictionRecord*> known;
    known.reserve(bodies->size());
    for (const auto& one : *bodies) {
        known.push_back(&one);
    }
    double width = 0.0;
    for (const auto& light : lights_) {
        width = std::max(width, light.fwhmPixels * light.scaleArcsec());
    }
    const double halfSeconds = 0.5 * lights_.back().middle.secondsSince(lights_.front().middle);
    for (std::size_t k = 0; k < names_.size(); ++k) {
        const auto body = night::sweptBody(swept_.found.candidates[k], {});
        if (const auto* found = night::recognised(body, known, halfSeconds, width)) {
            names_[k] = found->title;
        }
    }
    return true;
}

void FieldSweep::tellFound() const {
    for (std::size_t k = 0; k < names_.size(); ++k) {
        const auto& c = swept_.found.candidates[k];
        a_.console.say(
            fmt::format("{}  {:.6f} {:+.6f}  {:.3f}\"/min towards {:.1f}  S/N {:.1f}, by chance "
                        "10^{:.1f}{}",
                        toIso(c.time),
                        c.sky.longitude.degrees(),
                        c.sky.latitude.degrees(),
                        c.rateArcsecPerMin,
                        c.positionAngle.degrees(),
                        c.snr,
                        c.log10FalseAlarms,
                        names_[k].empty() ? "" : "  " + names_[k]));
    }
    for (const auto& refused : swept_.found.refused) {
        a_.console.say(
            fmt::format("{:.6f} {:+.6f}  {:.3f}\"/min towards {:.1f}  S/N {:.1f}: no candidate, {}",
                        refused.candidate.sky.longitude.degrees(),
                        refused.candidate.sky.latitude.degrees(),
                        refused.candidate.rateArcsecPerMin,
                        refused.candidate.positionAngle.degrees(),
                        refused.candidate.snr,
                        refused.why));
    }
}

Result<bool> FieldSweep::make(const frame::ReadingRules& rules) {
    if (auto learned = learnZeroPoint(a_, rules, lights_); !learned) {
        return learned;
    }
    const auto folder = TemporaryFolder::make();
    if (!folder) {
        return fail(folder.error());
    }
    const auto maps = night::emptyMaps(night::sweepViews(lights_));
    if (!maps) {
        return fail(maps.error());
    }
    sweep::SweepOptions options;
    options.falseAlarms = a_.falseAlarms;
    auto bounds = boundsOf(a_, *maps);
    if (!bounds) {
        return fail(bounds.error());
    }
    options.bounds = *bounds;
    const auto plan = sweep::planOf(*maps, options);
    if (!plan) {
        return fail(plan.error());
    }
    tellPlan(*plan, options.bounds);
    const night::CandidateStackFiles files = [&](const auto&, std::size_t number, auto members) {
        return night::CandidateStackFile{
            folder->path() / fmt::format("candidate_{}_{}.fits", number, members.front()),
            "a stack of a sweep"};
    };
    auto swept = night::sweepLights(
        lights_, options, *plan, a_.groups, files, folder->path(), a_.console.job());
    if (!swept) {
        return fail(swept.error());
    }
    swept_ = *std::move(swept);
    if (auto named = nameAll(); !named) {
        return named;
    }
    tellFound();
    return true;
}

void FieldSweep::addTo(nlohmann::json& document) const {
    document["motions"] = document["motions"].get<std::size_t>() + swept_.found.motions;
    document["frames"] = document["frames"].get<std::size_t>() + lights_.size();
    document["pixels"] = document["pixels"].get<double>() + swept_.pixels;
    document["additions"] = document["additions"].get<double>() + swept_.found.additions;
    document["adding"] = document["adding"].get<double>() + swept_.found.seconds;
    document["threshold_snr"] =
        std::max(document["threshold_snr"].get<double>(), swept_.found.thresholdSnr);
    for (std::size_t k = 0; k < swept_.found.candidates.size(); ++k) {
        const auto& c = swept_.found.candidates[k];
        document["candidates"].push_back(candidateEntry(
            c, night::magnitudeOf(lights_.front(), c.electrons), names_[k], swept_.measured[k]));
    }
}

std::vector<std::vector<night::StackLight>> byField(const std::vector<night::StackLight>& lights) {
    std::vector<night::FieldOfView> views;
    views.reserve(lights.size());
    for (const auto& light : lights) {
        views.push_back(night::fieldOfView(light));
    }
    std::vector<std::vector<night::StackLight>> fields;
    for (const auto& members : night::sameFields(views)) {
        fields.emplace_back();
        for (const std::size_t i : members) {
            fields.back().push_back(lights[i]);
        }
    }
    return fields;
}

/// A body that is lost, along the line of its orbit's error over all fields and nights together.
Result<nlohmann::json> recoverBody(const SweepArguments& a,
                                   const frame::ReadingRules& rules,
                                   std::vector<night::StackLight> lights) {
    const auto sought = seekBody(a.body);
    if (!sought) {
        return fail(sought.error());
    }
    if (auto learned = learnZeroPoint(a, rules, lights); !learned) {
        return fail(learned.error());
    }
    const auto folder = TemporaryFolder::make();
    if (!folder) {
        return fail(folder.error());
    }
    const auto recovery = night::recover(lights,
                                         {&sought->elements, nullptr, sought->tables, sought->site},
                                         a.falseAlarms,
                                         a.groups,
                                         folder->path(),
                                         a.console.job());
    if (!recovery) {
        return fail(recovery.error());
    }
    nlohmann::json candidates = nlohmann::json::array();
    for (const auto& body : recovery->found) {
        if (body.fields.empty()) {
            continue;
        }
        std::vector<night::CandidateMeasurement> measured;
        for (const auto& field : body.fields) {
            measured.insert(measured.end(), field.measured.begin(), field.measured.end());
        }
        const auto& first = body.fields.front().candidate;
        candidates.push_back(candidateEntry(
            first, night::magnitudeOf(lights.front(), body.electrons), a.body.body, measured));
        a.console.say(
            fmt::format("{}  {:.6f} {:+.6f}  {:+.2f} sigma along its orbit's error, in {} "
                        "fields, S/N {:.1f}, by chance 10^{:.1f}",
                        toIso(first.time),
                        first.sky.longitude.degrees(),
                        first.sky.latitude.degrees(),
                        body.sigmasAlong,
                        body.fields.size(),
                        body.snr,
                        body.log10FalseAlarms));
    }
    const double sums = recovery->tried * static_cast<double>(recovery->frames);
    return nlohmann::json{{"motions", static_cast<std::size_t>(recovery->tried)},
                          {"frames", recovery->frames},
                          {"pixels", recovery->pixels},
                          {"additions_per_second", sums / std::max(1e-3, recovery->seconds)},
                          {"threshold_snr", recovery->thresholdSnr},
                          {"candidates", candidates}};
}

/// The surest first, with their places among all.
void rank(nlohmann::json& candidates) {
    std::vector<nlohmann::json> list(candidates.begin(), candidates.end());
    std::stable_sort(list.begin(), list.end(), [](const auto& a, const auto& b) {
        return a.at("snr").template get<double>() > b.at("snr").template get<double>();
    });
    for (std::size_t k = 0; k < list.size(); ++k) {
        list[k]["rank"] = k + 1;
    }
    candidates = std::move(list);
}

} // namespace

Result<nlohmann::json> sweepFields(const SweepArguments& a,
                                   const frame::ReadingRules& rules,
                                   std::vector<night::StackLight> lights,
                                   std::vector<Error>& failures) {
    if (lights.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to search.");
    }
    auto fields = byField(lights);
    if (fields.size() > 1 && !a.body.body.empty()) {
        auto recovered = recoverBody(a, rules, std::move(lights));
        if (recovered) {
            rank((*recovered)["candidates"]);
        }
        return recovered;
    }
    nlohmann::json document{{"motions", std::size_t{0}},
                            {"frames", std::size_t{0}},
                            {"pixels", 0.0},
                            {"additions", 0.0},
                            {"adding", 0.0},
                            {"threshold_snr", 0.0},
                            {"candidates", nlohmann::json::array()}};
    std::optional<Error> last;
    std::size_t swept = 0;
    for (auto& field : fields) {
        const std::string first = field.front().info.path.string();
        FieldSweep sweep(a, std::move(field));
        if (auto made = sweep.make(rules); !made) {
            last = made.error();
            if (last->id == ErrorId::BaseCancelled || fields.size() == 1) {
                return fail(*last);
            }
            last->subject = last->subject.empty() ? first : last->subject;
            failures.push_back(*last);
            continue;
        }
        ++swept;
        sweep.addTo(document);
    }
    if (swept == 0) {
        return fail(*last);
    }
    document["additions_per_second"] =
        document["additions"].get<double>() / std::max(1e-3, document["adding"].get<double>());
    document.erase("additions");
    document.erase("adding");
    rank(document["candidates"]);
    return document;
}

} // namespace pathmark::command
