#include "command/console.h"
#include "core/frame/fits_file.h"
#include "core/identify/bodies_in_frame.h"
#include "core/night/data_files.h"
#include "core/orbit/formats/orbit_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <memory>

namespace pathmark::command {
namespace {

struct IdentifyArguments {
    Console console;
    std::vector<std::string> files;
    std::vector<std::string> orbits;
    std::vector<double> site;
    std::optional<double> limit;
    std::string wcsFolder;
};

/// The solution in the header, or in a .wcs file beside the frame or in --wcs.
Result<frame::Wcs>
findWcs(const IdentifyArguments& a, const std::string& file, const frame::Header& header) {
    if (auto wcs = frame::readWcs(header)) {
        return wcs;
    }
    namespace fs = std::filesystem;
    const fs::path folder =
        a.wcsFolder.empty() ? fs::path(file).parent_path() : fs::path(a.wcsFolder);
    auto beside = frame::readFitsHeader(folder / (frame::frameStem(file) + ".wcs"));
    if (!beside) {
        return fail(ErrorId::FrameBadWcs,
                    "The frame is not solved; run 'pathmark solve --out DIR' first.",
                    file);
    }
    return frame::readWcs(*beside);
}

Result<nlohmann::json> identifyOne(const IdentifyArguments& a,
                                   const std::string& file,
                                   const std::vector<orbit::Elements>& orbits,
                                   const orbit::Planets& planets) {
    auto reader = frame::FitsReader::open(file);
    if (!reader) {
        return fail(reader.error());
    }
    const auto info =
        frame::describeFrame(file, reader->width(), reader->height(), reader->header());
    auto wcs = findWcs(a, file, reader->header());
    if (!wcs) {
        return fail(wcs.error());
    }
    if (!info.midExposure) {
        return fail(ErrorId::FrameNoTime, "The header gives no date with a time of day.", file);
    }
    const auto start = std::chrono::steady_clock::now();
    const double limit = a.limit.value_or(reader->header().number("PMLIMIT").value_or(99.0));
    auto bodies =
        identify::bodiesInFrame(orbits,
                                planets,
                                geodeticSite(a.site),
                                {*wcs, info.width, info.height, *info.midExposure, std::nullopt});
    if (!bodies) {
        return fail(bodies.error());
    }
    nlohmann::json list = nlohmann::json::array();
    for (const auto& body : *bodies) {
        const auto pixel = frame::toFits(body.pixel);
        list.push_back(
            {{"name", orbits[body.orbit].name},
             {"ra", body.place.sky.longitude.degrees()},
             {"dec", body.place.sky.latitude.degrees()},
             {"x", pixel.x},
             {"y", pixel.y},
             {"rate_arcsec_per_min", body.place.rateArcsecPerMin()},
             {"position_angle_deg", body.place.positionAngle().degrees()},
             {"mag", body.place.magnitude ? finite(*body.place.magnitude) : nlohmann::json()},
             {"in_reach", body.place.magnitude.value_or(99.0) <= limit}});
    }
    return nlohmann::json{
        {"file", file},
        {"mid_time", toIso(*info.midExposure)},
        {"limiting_mag", limit < 99.0 ? nlohmann::json(limit) : nlohmann::json()},
        {"seconds",
         std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count()},
        {"bodies", list}};
}

int identifyAll(const IdentifyArguments& a) {
    const std::vector<std::filesystem::path> files(a.orbits.begin(), a.orbits.end());
    auto orbits = orbit::readOrbitFiles(files);
    auto planets = orbit::Planets::open(night::dataFile("planets-1995-2055.bsp"));
    if (!orbits || !planets) {
        Console::complain(orbits ? planets.error() : orbits.error());
        return kSomeFailed;
    }
    for (const Error& error : orbits->badLines) {
        Console::complain(error);
    }
    nlohmann::json frames = nlohmann::json::array();
    bool all = true;
    for (const std::string& file : a.files) {
        auto entry = identifyOne(a, file, orbits->orbits, *planets);
        if (!entry) {
            Console::complain(entry.error());
            frames.push_back({{"file", file},
                              {"reason", entry.error().detail},
                              {"bodies", nlohmann::json::array()}});
            all = false;
            continue;
        }
        if (!a.console.json) {
            for (const auto& body : (*entry)["bodies"]) {
                Console::print(fmt::format("{}  {:<16} x {:8.2f} y {:8.2f}  {:.3f}\"/min\n",
                                           (*entry)["mid_time"].get<std::string>(),
                                           body["name"].get<std::string>(),
                                           body["x"].get<double>(),
                                           body["y"].get<double>(),
                                           body["rate_arcsec_per_min"].get<double>()));
            }
        }
        frames.push_back(std::move(*entry));
    }
    if (a.console.json) {
        Console::print({{"frames", frames}});
    }
    return all ? kDone : kSomeFailed;
}

} // namespace

void addIdentifyVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<IdentifyArguments>();
    CLI::App* verb = program.add_subcommand("identify", "List the known bodies in solved frames");
    verb->add_option("files", a->files, "FITS frames")->required();
    verb->add_option("--orbits", a->orbits, "Orbit files")->required();
    verb->add_option(
            "--site-geodetic", a->site, "Longitude and latitude in degrees, altitude in metres")
        ->expected(3)
        ->required();
    verb->add_option("--limit", a->limit, "Faintest magnitude within reach");
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return identifyAll(*a); }; });
}

} // namespace pathmark::command
