#include "command/frame_input.h"
#include "command/open_night.h"
#include "command/temporary_folder.h"
#include "core/base/atomic_file.h"
#include "core/night/precovery.h"
#include "core/night/report/reported_night.h"
#include "core/orbit/formats/orbit_table.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

using nlohmann::json;

struct PrecoveryArguments {
    Console console;
    std::string nightFile;
    std::string body;
    FrameArguments input;
    std::string wcsFolder;
    double mostDegrees = 1.0;
    double falseAlarms = 0.01;
    int groups = 1;
    std::string orbitOut;
};

json measuredJson(const night::CandidateMeasurement& m) {
    return {{"mid_time", toIso(m.middle)},
            {"ra", m.measured.sky.longitude.degrees()},
            {"dec", m.measured.sky.latitude.degrees()},
            {"ra_err_arcsec", m.measured.raErrorArcsec},
            {"dec_err_arcsec", m.measured.decErrorArcsec},
            {"mag", finite(m.measured.magnitude)},
            {"snr", m.measured.snr}};
}

json nightJson(const night::PrecoveryNight& night) {
    json measured = json::array();
    for (const auto& m : night.measured) {
        measured.push_back(measuredJson(m));
    }
    return {{"mid_time", toIso(night.middle)},
            {"outcome", name(night.outcome)},
            {"frames", night.frames},
            {"ra", night.sky.longitude.degrees()},
            {"dec", night.sky.latitude.degrees()},
            {"sigma_major_arcsec", finite(night.majorArcsec)},
            {"sigma_minor_arcsec", finite(night.minorArcsec)},
            {"snr", night.snr},
            {"log10_false_alarms", finite(night.log10FalseAlarms)},
            {"measurements", std::move(measured)},
            {"words", night.words}};
}

/// One line for a person.
std::string wordsOf(const night::PrecoveryNight& night) {
    const std::string when = toIso(night.middle, 0).substr(0, 16);
    switch (night.outcome) {
    case night::PrecoveryOutcome::Found:
        return fmt::format("{}  found: S/N {:.1f}, by chance 10^{:.1f}, {} places",
                           when,
                           night.snr,
                           night.log10FalseAlarms,
                           night.measured.size());
    case night::PrecoveryOutcome::NotSeen:
        return fmt::format(
            "{}  not seen in {} frames along {:.0f}\"", when, night.frames, night.majorArcsec);
    case night::PrecoveryOutcome::TooUncertain:
        return fmt::format("{}  it may be anywhere along {:.1f} degrees: not searched",
                           when,
                           night.majorArcsec * 6.0 / 3600.0);
    case night::PrecoveryOutcome::Failed: return fmt::format("{}  {}", when, night.words);
    case night::PrecoveryOutcome::Outside: break;
    }
    return fmt::format("{}  no frames look there", when);
}

/// The solved frames among those that were named; the others are part of every archive.
std::vector<identify::SolvedFrame> solvedAmong(const FrameInput& input,
                                               const PrecoveryArguments& a) {
    std::vector<identify::SolvedFrame> frames;
    for (const auto& file : input.list.files) {
        if (auto frame = identify::readSolvedFrame(file, a.wcsFolder, input.rules)) {
            frames.push_back(std::move(*frame));
        }
    }
    return frames;
}

/// The sources of a night's orbits and its lines.
struct Tonight {
    night::ReportedNight night;
    night::OrbitSources sources;
};

Result<Tonight> readTonight(const night::NightFile& file, const Job& job) {
    auto night = night::reportedOf(file);
    auto sources = night ? night::readOrbitSources(file.recipe(), job) : fail(night.error());
    return sources ? Result<Tonight>({std::move(*night), std::move(*sources)})
                   : fail(sources.error());
}

int tell(const PrecoveryArguments& a, const night::Precovery& found, std::size_t frames) {
    if (!a.orbitOut.empty() && found.fit) {
        const std::string table = orbit::toOrbitTable(std::span(&found.fit->elements, 1));
        if (auto written = writeWholeText(a.orbitOut, table); !written) {
            Console::complain(written.error());
            return kSomeFailed;
        }
    }
    json nights = json::array();
    bool isWhole = true;
    for (const auto& night : found.nights) {
        a.console.say(wordsOf(night));
        nights.push_back(nightJson(night));
        isWhole = isWhole && night.outcome != night::PrecoveryOutcome::Failed;
    }
    if (a.console.json) {
        json orbit = nullptr;
        if (found.fit) {
            const orbit::Elements& e = found.fit->elements;
            orbit = {{"q_au", finite(e.perihelionAu)},
                     {"e", finite(e.eccentricity)},
                     {"i_deg", e.inclination.degrees()},
                     {"arc_days", found.fit->arcDays}};
        }
        Console::print({{"body", a.body},
                        {"frames", frames},
                        {"nights", std::move(nights)},
                        {"orbit", std::move(orbit)}});
    }
    return isWhole ? kDone : kSomeFailed;
}

int precovery(const PrecoveryArguments& a) {
    int status = kDone;
    const auto file = openNight(a.nightFile, status);
    if (!file) {
        return status;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    const Job job = a.console.job();
    const auto tonight = readTonight(*file, job);
    if (!tonight) {
        Console::complain(tonight.error());
        return kSomeFailed;
    }
    auto known = night::orbitCaseOf(tonight->sources,
                                    tonight->night.measurements,
                                    tonight->night.decided.observationsOff,
                                    night::BodyId::of(a.body));
    if (known.given.observations.empty()) {
        Console::complain({ErrorId::NightUnknownId,
                           "No body of this night has this name and a measurement that is kept.",
                           a.body});
        return kWrongUse;
    }
    const auto frames = solvedAmong(*input, a);
    const auto folder = TemporaryFolder::make();
    if (!folder) {
        Console::complain(folder.error());
        return kSomeFailed;
    }
    const auto found = night::precover({tonight->sources,
                                        std::move(known),
                                        frames,
                                        a.wcsFolder,
                                        input->rules,
                                        a.mostDegrees,
                                        a.falseAlarms,
                                        a.groups},
                                       folder->path(),
                                       job);
    if (!found) {
        Console::complain(found.error());
        return kSomeFailed;
    }
    return tell(a, *found, frames.size());
}

} // namespace

void addPrecoveryVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<PrecoveryArguments>();
    CLI::App* verb = program.add_subcommand(
        "precovery", "A body of tonight in frames of old nights, where its orbit says to look");
    verb->add_option("night", a->nightFile, "Tonight: its night file, or its folder")->required();
    verb->add_option("--body", a->body, "The body, known or new")->required();
    addFrameArguments(*verb, a->input);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--most-degrees",
                     a->mostDegrees,
                     "Longest stretch of sky that is searched on one night")
        ->check(CLI::Range(0.01, 30.0));
    verb->add_option("--false-alarms", a->falseAlarms, "Places that chance may make on one night")
        ->check(CLI::Range(1e-9, 10.0));
    verb->add_option("--groups", a->groups, "Places that are measured on a night")
        ->check(CLI::Range(1, 20));
    verb->add_option("--orbit", a->orbitOut, "Write the orbit with all that was found");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return precovery(*a); }; });
}

} // namespace pathmark::command
