#include "command/body_choice.h"
#include "command/body_search.h"
#include "command/catalog_choice.h"
#include "command/light_series.h"
#include "command/temporary_folder.h"
#include "core/base/parallel.h"
#include "core/night/measure_file.h"
#include "core/night/sweep_lights.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

constexpr double kUsualMostRate = 10.0;     ///< arcsec per minute
constexpr double kAdditionsPerSecond = 7e9; ///< of one core, about
constexpr double kSameWidths = 1.5;         ///< of a star, between a candidate and a known body
constexpr double kSameArcsec = 3.0;

struct SweepArguments {
    Console console;
    FrameArguments input;
    std::string wcsFolder;
    std::vector<double> rate;  ///< least and most, arcsec per minute
    std::vector<double> angle; ///< from and to, degrees
    BodyArguments body;
    std::string indexFolder;
    double falseAlarms = 0.1;
    int groups = 3;
    CatalogArguments catalog;
};

std::string objectionTo(const SweepArguments& a) {
    if (!a.rate.empty() &&
        !(a.rate[0] >= 0.0 && a.rate[1] > a.rate[0] && std::isfinite(a.rate[1]))) {
        return fmt::format(
            "--rate {:g} {:g}: a smaller and a larger rate are wanted.", a.rate[0], a.rate[1]);
    }
    if (!a.angle.empty() && !(std::isfinite(a.angle[0]) && std::isfinite(a.angle[1]))) {
        return "--angle takes two position angles in degrees.";
    }
    if (!(a.falseAlarms > 0.0) || !std::isfinite(a.falseAlarms)) {
        return fmt::format("--false-alarms {:g} must be a number above 0.", a.falseAlarms);
    }
    if (a.groups < 1) {
        return fmt::format("--groups {} must be 1 or more.", a.groups);
    }
    if (std::string objection = command::objectionTo(a.catalog); !objection.empty()) {
        return objection;
    }
    if (!a.body.body.empty() && (!a.rate.empty() || !a.angle.empty())) {
        return "--body says itself how the body moves: leave --rate and --angle out.";
    }
    if (!a.body.orbits.empty() && a.body.sky.code.empty() && a.body.sky.geodetic.empty()) {
        return "--orbits needs the observer's place: --site CODE or --site-geodetic LON LAT ALT_M.";
    }
    return objectionTo(a.body);
}

/// The motions that a body may have whose orbit is known.
///
/// Model    What is unsure of an orbit lies mostly along it: the body may be earlier or later by three times its error over its rate
///          (a tenth of a day where no error is known). The motions are those of the places that it has then, and a twentieth more.
Result<sweep::MotionBounds> boundsOf(const BodyArguments& body, const Utc& middle) {
    const auto sought = seekBody(body);
    if (!sought) {
        return fail(sought.error());
    }
    const auto now = sought->at(middle);
    if (!now) {
        return fail(now.error());
    }
    double seconds = 8640.0;
    if (now->uncertainty) {
        seconds = std::clamp(180.0 * now->uncertainty->major.arcsec() /
                                 std::max(0.01, now->rateArcsecPerMin()),
                             600.0,
                             86400.0);
    }
    double turn = 0.05;
    sweep::MotionBounds bounds;
    bounds.leastRate = bounds.mostRate = now->rateArcsecPerMin();
    for (const double late : {-seconds, seconds}) {
        const auto place = sought->at(middle.plusSeconds(late));
        if (!place) {
            return fail(place.error());
        }
        bounds.leastRate = std::min(bounds.leastRate, place->rateArcsecPerMin());
        bounds.mostRate = std::max(bounds.mostRate, place->rateArcsecPerMin());
        turn = std::max(
            turn,
            std::abs(std::remainder((place->positionAngle() - now->positionAngle()).radians(),
                                    2.0 * std::numbers::pi)));
    }
    bounds.leastRate *= 0.95;
    bounds.mostRate *= 1.05;
    bounds.from = now->positionAngle() - Angle::radians(turn);
    bounds.to = now->positionAngle() + Angle::radians(turn);
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

/// Names of known bodies, one for each candidate; empty: none.
Result<std::vector<std::string>> knownNames(const SweepArguments& a,
                                            const std::vector<night::StackLight>& lights,
                                            const std::vector<sweep::Candidate>& candidates) {
    std::vector<std::string> names(candidates.size());
    if (a.body.orbits.empty() || candidates.empty()) {
        return names;
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
                                   for (std::size_t k = 0; k < candidates.size(); ++k) {
                                       const auto& c = candidates[k];
                                       const SkyPos there = c.at(body.place.time);
                                       const double most = std::max(
                                           {kSameArcsec,
                                            kSameWidths * light.fwhmPixels * light.scaleArcsec(),
                                            body.place.uncertainty
                                                ? 3.0 * body.place.uncertainty->major.arcsec()
                                                : 0.0});
                                       if (separation(there, body.place.sky).arcsec() < most) {
                                           names[k] = search->catalog.name(body.orbit);
                                       }
                                   }
                               }
                           });
    if (!outcome) {
        return fail(outcome.error());
    }
    return names;
}

/// The magnitude of so many electrons of the reference frame.
std::optional<double> magnitudeOf(const night::StackLight& reference, double electrons) {
    if (!reference.zeroPoint || !(reference.info.exposureSeconds > 0.0)) {
        return std::nullopt;
    }
    return *reference.zeroPoint + 2.5 * std::log10(reference.electronsPerUnit) -
           2.5 * std::log10(electrons / reference.info.exposureSeconds);
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

/// A sweep from lights to a document.
class SweepRun {
  public:
    SweepRun(const SweepArguments& a, std::vector<night::StackLight> lights)
        : a_(a), lights_(std::move(lights)) {}

    Result<nlohmann::json> make(const frame::ReadingRules& rules);

  private:
    void tellPlan(const sweep::SweepPlan& plan, const sweep::MotionBounds& bounds) const;
    [[nodiscard]] nlohmann::json
    candidatesJson(const sweep::SweepResult& result,
                   const std::vector<std::vector<night::CandidateMeasurement>>& measured,
                   const std::vector<std::string>& names) const;

    const SweepArguments& a_;
    std::vector<night::StackLight> lights_;
};

void SweepRun::tellPlan(const sweep::SweepPlan& plan, const sweep::MotionBounds& bounds) const {
    a_.console.say(fmt::format(
        "{} motions from {:.2f} to {:.2f} arcsec per minute, {:.2g} additions: about {:.0f} s on "
        "this machine; {:.1f} GB.",
        plan.motions,
        bounds.leastRate,
        bounds.mostRate,
        plan.additions,
        plan.additions / (kAdditionsPerSecond * static_cast<double>(threadLimit())),
        plan.bytes / 1e9));
}

nlohmann::json
SweepRun::candidatesJson(const sweep::SweepResult& result,
                         const std::vector<std::vector<night::CandidateMeasurement>>& measured,
                         const std::vector<std::string>& names) const {
    nlohmann::json list = nlohmann::json::array();
    for (std::size_t k = 0; k < result.candidates.size(); ++k) {
        const auto& c = result.candidates[k];
        nlohmann::json measurements = nlohmann::json::array();
        for (const auto& m : measured[k]) {
            measurements.push_back(entryOf(m));
        }
        list.push_back(
            {{"rank", k + 1},
             {"ra", c.sky.longitude.degrees()},
             {"dec", c.sky.latitude.degrees()},
             {"time", toIso(c.time)},
             {"rate_arcsec_per_min", c.rateArcsecPerMin},
             {"position_angle_deg", c.positionAngle.degrees()},
             {"snr", c.snr},
             {"mag", finite(magnitudeOf(lights_.front(), c.electrons))},
             {"log10_false_alarms", c.log10FalseAlarms},
             {"known_as", names[k].empty() ? nlohmann::json() : nlohmann::json(names[k])},
             {"measurements", measurements}});
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
                        names[k].empty() ? "" : "  " + names[k]));
    }
    for (const auto& refused : result.refused) {
        a_.console.say(
            fmt::format("{:.6f} {:+.6f}  {:.3f}\"/min towards {:.1f}  S/N {:.1f}: no candidate, {}",
                        refused.candidate.sky.longitude.degrees(),
                        refused.candidate.sky.latitude.degrees(),
                        refused.candidate.rateArcsecPerMin,
                        refused.candidate.positionAngle.degrees(),
                        refused.candidate.snr,
                        refused.why));
    }
    return list;
}

Result<nlohmann::json> SweepRun::make(const frame::ReadingRules& rules) {
    if (lights_.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to search.");
    }
    if (auto learned = learnZeroPoint(a_, rules, lights_); !learned) {
        return fail(learned.error());
    }
    const auto folder = TemporaryFolder::make();
    if (!folder) {
        return fail(folder.error());
    }
    const Job job = a_.console.job();
    const auto ready = night::SweepLights::prepare(lights_, folder->path(), job);
    if (!ready) {
        return fail(ready.error());
    }
    auto maps = ready->maps(job);
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
    const auto plan = sweep::planOf(*maps, options.bounds);
    if (!plan) {
        return fail(plan.error());
    }
    tellPlan(*plan, options.bounds);
    const double pixels = static_cast<double>(maps->grid().width) * maps->grid().height;
    const auto result = sweep::sweepOver(std::move(*maps), options, job);
    if (!result) {
        return fail(result.error());
    }
    const auto measured = ready->measure(result->candidates, a_.groups, job);
    if (!measured) {
        return fail(measured.error());
    }
    const auto names = knownNames(a_, lights_, result->candidates);
    if (!names) {
        return fail(names.error());
    }
    return nlohmann::json{
        {"motions", result->motions},
        {"frames", lights_.size()},
        {"pixels", pixels},
        {"additions_per_second", result->additions / std::max(1e-3, result->seconds)},
        {"threshold_snr", result->thresholdSnr},
        {"candidates", candidatesJson(*result, *measured, *names)}};
}

int sweepAll(const SweepArguments& a) {
    const auto start = std::chrono::steady_clock::now();
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    auto series = readLights(a.console, *input, a.wcsFolder);
    SweepRun run(a, std::move(series.lights));
    auto document = run.make(input->rules);
    if (!document) {
        for (const Error& error : series.failures) {
            Console::complain(error);
        }
        Console::complain(document.error());
        return kSomeFailed;
    }
    const std::chrono::duration<double> seconds = std::chrono::steady_clock::now() - start;
    (*document)["seconds"] = seconds.count();
    return endWith(a.console, std::move(*document), series.failures);
}

} // namespace

void addSweepVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<SweepArguments>();
    CLI::App* verb = program.add_subcommand(
        "sweep", "Search solved frames for bodies too faint for one, along every motion");
    addFrameArguments(*verb, a->input);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--rate", a->rate, "Least and most rate, arcsec per minute")->expected(2);
    verb->add_option("--angle", a->angle, "Position angles from, to, degrees east of north")
        ->expected(2);
    addBodyOptions(*verb, a->body);
    verb->add_option("--index", a->indexFolder, "Folder for the index of the orbit files");
    verb->add_option(
        "--false-alarms", a->falseAlarms, "Candidates that chance may make in the whole field");
    verb->add_option("--groups", a->groups, "Stacks in time that each candidate is measured in");
    addCatalogOptions(*verb, a->catalog, "magnitudes");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return sweepAll(*a); }; });
}

} // namespace pathmark::command
