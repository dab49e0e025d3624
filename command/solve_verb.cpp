#include "command/console.h"
#include "command/frame_input.h"
#include "core/base/atomic_file.h"
#include "core/frame/open_frame.h"
#include "core/solve/photometric_match.h"
#include "core/solve/solve_frame.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <memory>

namespace pathmark::command {
namespace {

struct SolveArguments {
    Console console;
    FrameArguments input;
    std::string store;
    std::string catalogName;
    std::vector<double> nearRaDec;
    std::optional<double> radiusDegrees;
    std::vector<double> scale;
    bool blind = false;
    std::string out;
};

/// What the frames of one call share.
struct Means {
    const frame::ReadingRules& rules;
    const catalog::StarStore& store;
    solve::CataloguePatterns& patterns;
    std::stop_token stop;
    std::optional<frame::Wcs> last; ///< solution of the last frame of `size`
    solve::FrameSize size;
};

/// What the caller and the header know of the frame's place.
solve::SolveHint hintFor(const SolveArguments& a, const frame::FrameInfo& info) {
    solve::SolveHint hint;
    if (a.nearRaDec.size() == 2) {
        hint.centre = skyDegrees(a.nearRaDec[0], a.nearRaDec[1]);
    } else if (!a.blind) {
        hint.centre = info.pointing;
    }
    const auto scale = info.scaleArcsec();
    if (a.scale.size() == 2) {
        hint.scaleLow = a.scale[0];
        hint.scaleHigh = a.scale[1];
    } else if (scale) {
        hint.scaleLow = 0.8 * *scale;
        hint.scaleHigh = 1.2 * *scale;
    }
    // Unless told otherwise, the middle may be a frame's side away from where it is said to be.
    const double likely =
        a.scale.size() == 2 ? std::sqrt(a.scale[0] * a.scale[1]) : scale.value_or(1.5);
    hint.radius = a.radiusDegrees
                      ? Angle::degrees(*a.radiusDegrees)
                      : std::max(Angle::arcsec(std::max(info.width, info.height) * likely),
                                 Angle::degrees(0.2));
    return hint;
}

nlohmann::json failed(const std::string& file, const Error& error, double seconds) {
    nlohmann::json entry{{"file", file},
                         {"solved", false},
                         {"id", name(error.id)},
                         {"reason", error.detail},
                         {"seconds", seconds}};
    for (const char* key : {"ra",
                            "dec",
                            "scale",
                            "rotation_deg",
                            "mirrored",
                            "matched",
                            "rms_arcsec",
                            "false_alarm_log10",
                            "zero_point",
                            "limiting_mag",
                            "fwhm_arcsec"}) {
        entry[key] = nullptr;
    }
    return entry;
}

nlohmann::json solved(const std::string& file,
                      const frame::FrameInfo& info,
                      const detect::Detection& detection,
                      const solve::Solution& solution,
                      double seconds) {
    const SkyPos centre = solution.wcs.toSky({0.5 * (info.width - 1), 0.5 * (info.height - 1)});
    nlohmann::json entry{{"file", file},
                         {"solved", true},
                         {"id", nullptr},
                         {"reason", ""},
                         {"ra", centre.longitude.degrees()},
                         {"dec", centre.latitude.degrees()},
                         {"scale", solution.wcs.scaleArcsec()},
                         {"rotation_deg", solution.wcs.rotation().degrees()},
                         {"mirrored", solution.wcs.mirrored()},
                         {"matched", solution.usedStars},
                         {"rms_arcsec", solution.rmsArcsec},
                         {"false_alarm_log10", solution.falseAlarmLog10},
                         {"zero_point", nullptr},
                         {"limiting_mag", nullptr},
                         {"fwhm_arcsec", detection.fwhm * solution.wcs.scaleArcsec()},
                         {"seconds", seconds}};
    const auto band = catalog::bandForFilter(info.filter).value_or(catalog::Band::G);
    if (auto match = solve::matchPhotometry(detection, solution, band, info.exposureSeconds)) {
        entry["zero_point"] = match->zeroPoint;
        entry["limiting_mag"] = match->limitingMag;
    }
    return entry;
}

nlohmann::json solveOne(const SolveArguments& a, const std::string& file, Means& means) {
    auto loaded = frame::readFrame(file);
    if (!loaded) {
        Console::complain(loaded.error());
        return failed(file, loaded.error(), 0.0);
    }
    const auto info = frame::describeFrame(
        file, loaded->image.width(), loaded->image.height(), loaded->header, means.rules);
    solve::SolveHint hint = hintFor(a, info);
    const solve::FrameSize size{info.width, info.height};
    if (means.last && means.size.width == size.width && means.size.height == size.height &&
        a.nearRaDec.empty()) {
        hint.neighbour = means.last;
    }
    if (!hint.centre) {
        means.patterns.get(); // once for all frames, so not this one's time
    }
    const auto start = std::chrono::steady_clock::now();
    const auto elapsed = [&] {
        return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    };
    detect::DetectOptions options;
    options.saturation = saturationOf(*loaded, info);
    options.looksAgain = false;
    auto detection = detect::detectSources(loaded->image, options);
    if (!detection) {
        return failed(file, detection.error(), elapsed());
    }
    // Without a time proper motion is taken to 2016, the epoch of most catalogues.
    const Utc date = info.midExposure.value_or(Utc::julian(2457389.0));
    // Told where to look, one does not look elsewhere.
    const bool everywhere = a.nearRaDec.empty() || a.blind;
    auto solution =
        solve::solveFrame(*detection,
                          size,
                          date,
                          hint,
                          {&means.store, everywhere ? &means.patterns : nullptr, means.stop});
    if (!solution) {
        return failed(file, solution.error(), elapsed());
    }
    nlohmann::json entry = solved(file, info, *detection, *solution, elapsed());
    means.last = solution->wcs;
    means.size = size;
    if (!a.out.empty()) {
        frame::Header header;
        frame::writeWcs(solution->wcs, header);
        if (auto done = frame::writeFitsHeader(
                std::filesystem::path(a.out) / (frame::frameStem(file) + ".wcs"), header);
            !done) {
            Console::complain(done.error());
            return failed(file, done.error(), elapsed());
        }
    }
    return entry;
}

/// What cannot be meant; empty where all is well.
std::string objectionTo(const SolveArguments& a) {
    if (a.nearRaDec.size() == 2 &&
        (!(std::abs(a.nearRaDec[0]) <= 360.0) || !(std::abs(a.nearRaDec[1]) <= 90.0))) {
        return fmt::format(
            "--near {:g} {:g} is no place of the sky: right ascension goes from 0 to "
            "360 degrees, declination from -90 to +90.",
            a.nearRaDec[0],
            a.nearRaDec[1]);
    }
    if (a.scale.size() == 2 && !(a.scale[0] > 0.0 && a.scale[1] >= a.scale[0])) {
        return fmt::format("--scale {:g} {:g} must be the least and the greatest arcsec per pixel, "
                           "both above 0.",
                           a.scale[0],
                           a.scale[1]);
    }
    if (a.radiusDegrees && !(*a.radiusDegrees > 0.0 && *a.radiusDegrees <= 180.0)) {
        return fmt::format("--radius {:g} must be above 0 and at most 180 degrees.",
                           *a.radiusDegrees);
    }
    return {};
}

int solveAll(const SolveArguments& a) {
    if (const std::string objection = objectionTo(a); !objection.empty()) {
        Console::complain({ErrorId::CommandWrongUse, objection, {}});
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    auto store = catalog::StarStore::open(a.store, a.catalogName);
    if (!store) {
        Console::complain(store.error());
        return kSomeFailed;
    }
    if (!a.out.empty()) {
        if (auto made = makeFolder(a.out); !made) {
            Console::complain(made.error());
            return kSomeFailed;
        }
    }
    const Job job = a.console.job();
    solve::CataloguePatterns patterns(a.store, a.catalogName, *store, job);
    Means means{input->rules, *store, patterns, job.stop, std::nullopt, {}};
    nlohmann::json frames = nlohmann::json::array();
    bool all = true;
    for (const Error& error : input->list.failures) {
        Console::complain(error);
        frames.push_back(failed(error.subject, error, 0.0));
        all = false;
    }
    for (const auto& path : input->list.files) {
        const std::string file = path.string();
        nlohmann::json entry = solveOne(a, file, means);
        const bool good = entry["solved"].get<bool>();
        all = all && good;
        a.console.say(
            good ? fmt::format("{}: RA {:.5f} Dec {:+.5f}, {:.4f}\"/px, {} stars, {:.3f}\"",
                               file,
                               entry["ra"].get<double>(),
                               entry["dec"].get<double>(),
                               entry["scale"].get<double>(),
                               entry["matched"].get<int>(),
                               entry["rms_arcsec"].get<double>())
                 : file + ": " + entry["reason"].get<std::string>());
        frames.push_back(std::move(entry));
    }
    if (a.console.json) {
        Console::print({{"frames", frames}});
    }
    return all ? kDone : kSomeFailed;
}

} // namespace

void addSolveVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<SolveArguments>();
    CLI::App* verb = program.add_subcommand("solve", "Find where frames point");
    addFrameArguments(*verb, a->input);
    verb->add_option("--store", a->store, "Folder of the catalogues")->required();
    verb->add_option("--catalog", a->catalogName, "Catalogue")->required();
    verb->add_option("--near", a->nearRaDec, "RA and Dec in degrees to look around")->expected(2);
    verb->add_option("--radius", a->radiusDegrees, "How far from there, degrees");
    verb->add_option("--scale", a->scale, "Least and greatest arcsec per pixel")->expected(2);
    verb->add_flag(
        "--blind", a->blind, "Search all that the catalogue covers, whatever the header says");
    verb->add_option("--out", a->out, "Write STEM.wcs files here");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return solveAll(*a); }; });
}

} // namespace pathmark::command
