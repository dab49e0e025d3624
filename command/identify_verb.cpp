#include "command/console.h"
#include "command/sky_options.h"
#include "core/frame/fits_file.h"
#include "core/identify/bodies_in_frame.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <memory>

namespace pathmark::command {
namespace {

struct IdentifyArguments {
    Console console;
    std::vector<std::string> files;
    std::vector<std::string> orbits;
    SkyOptions sky;
    std::string indexFolder;
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

/// A frame as far as the search needs it, or why it cannot be searched.
struct SolvedFrame {
    std::string file;
    frame::Wcs wcs;
    int width = 0;
    int height = 0;
    Utc middle;
    std::optional<double> limit;
};

Result<SolvedFrame> readFrame(const IdentifyArguments& a, const std::string& file) {
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
    const auto limit = a.limit ? a.limit : reader->header().number("PMLIMIT");
    return SolvedFrame{file, *wcs, info.width, info.height, *info.midExposure, limit};
}

nlohmann::json bodyEntry(const identify::OrbitCatalog& catalog,
                         const identify::BodyInFrame& body,
                         const std::optional<double>& limit) {
    const auto pixel = frame::toFits(body.pixel);
    const auto magnitude = body.place.magnitude;
    return {{"name", catalog.name(body.orbit)},
            {"ra", body.place.sky.longitude.degrees()},
            {"dec", body.place.sky.latitude.degrees()},
            {"x", pixel.x},
            {"y", pixel.y},
            {"rate_arcsec_per_min", body.place.rateArcsecPerMin()},
            {"position_angle_deg", body.place.positionAngle().degrees()},
            {"mag", magnitude ? finite(*magnitude) : nlohmann::json()},
            {"in_reach", !limit || magnitude.value_or(99.0) <= *limit}};
}

/// What a run of the verb has at hand.
struct Search {
    frame::Site site;
    night::SkyTables tables;
    identify::OrbitCatalog catalog;
};

/// Frames of one night share its look over the catalogue; nights of an archive come one after the other.
std::vector<std::vector<std::size_t>> byNight(const std::vector<Result<SolvedFrame>>& frames) {
    std::vector<std::size_t> good;
    std::vector<Utc> times;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (frames[i]) {
            good.push_back(i);
            times.push_back(frames[i]->middle);
        }
    }
    auto nights = identify::nightsOf(times);
    for (auto& members : nights) {
        for (std::size_t& i : members) {
            i = good[i];
        }
    }
    return nights;
}

/// One entry a frame, at its place in `entries`.
Result<bool> searchNight(Search& search,
                         const std::vector<Result<SolvedFrame>>& frames,
                         const std::vector<std::size_t>& members,
                         const Console& console,
                         std::vector<nlohmann::json>& entries) {
    auto start = std::chrono::steady_clock::now();
    const Utc first = frames[members.front()]->middle;
    const Utc last = frames[members.back()]->middle;
    auto night = identify::NightBodies::make(search.catalog, search.tables.planets, first, last);
    if (!night) {
        return fail(night.error());
    }
    for (const std::size_t i : members) {
        const SolvedFrame& f = *frames[i];
        auto bodies = identify::bodiesInFrame(*night,
                                              search.tables.planets,
                                              search.site,
                                              {f.wcs, f.width, f.height, f.middle, std::nullopt},
                                              search.tables.turn);
        if (!bodies) {
            return fail(bodies.error());
        }
        nlohmann::json list = nlohmann::json::array();
        for (const auto& body : *bodies) {
            list.push_back(bodyEntry(search.catalog, body, f.limit));
        }
        const auto now = std::chrono::steady_clock::now();
        entries[i] = {{"file", f.file},
                      {"mid_time", toIso(f.middle)},
                      {"limiting_mag", f.limit ? nlohmann::json(*f.limit) : nlohmann::json()},
                      {"seconds", std::chrono::duration<double>(now - start).count()},
                      {"bodies", list}};
        start = now;
    }
    for (const Error& error : night->lost()) {
        console.say(toMessage(error));
    }
    return true;
}

void printBodies(const nlohmann::json& entry) {
    for (const auto& body : entry["bodies"]) {
        Console::print(fmt::format("{}  {:<16} x {:8.2f} y {:8.2f}  {:.3f}\"/min\n",
                                   entry["mid_time"].get<std::string>(),
                                   body["name"].get<std::string>(),
                                   body["x"].get<double>(),
                                   body["y"].get<double>(),
                                   body["rate_arcsec_per_min"].get<double>()));
    }
}

Result<Search> openSearch(const IdentifyArguments& a) {
    auto site = siteOf(a.sky);
    auto tables = tablesOf(a.sky);
    if (!site || !tables) {
        return fail(site ? tables.error() : site.error());
    }
    const std::vector<std::filesystem::path> files(a.orbits.begin(), a.orbits.end());
    identify::OrbitCatalog::Reading reading;
    auto catalog = identify::OrbitCatalog::open(files, a.indexFolder, a.console.job(), reading);
    if (!catalog) {
        return fail(catalog.error());
    }
    for (const Error& error : reading.badLines) {
        Console::complain(error);
    }
    if (reading.duplicates > 0) {
        a.console.say(
            fmt::format("{} orbits of bodies that stand in the files twice are left out; the "
                        "first counts.",
                        reading.duplicates));
    }
    return Search{*site, std::move(*tables), std::move(*catalog)};
}

int identifyAll(const IdentifyArguments& a) {
    auto search = openSearch(a);
    if (!search) {
        Console::complain(search.error());
        return search.error().id == ErrorId::OrbitUnknownSite && a.sky.code.empty() ? kWrongUse
                                                                                    : kSomeFailed;
    }
    std::vector<Result<SolvedFrame>> frames;
    std::vector<nlohmann::json> entries(a.files.size());
    for (const std::string& file : a.files) {
        frames.push_back(readFrame(a, file));
    }
    bool all = true;
    const auto refuse = [&](std::size_t i, const Error& error) {
        Console::complain(error);
        entries[i] = {
            {"file", a.files[i]}, {"reason", error.detail}, {"bodies", nlohmann::json::array()}};
        all = false;
    };
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (!frames[i]) {
            refuse(i, frames[i].error());
        }
    }
    for (const auto& members : byNight(frames)) {
        if (auto done = searchNight(*search, frames, members, a.console, entries); !done) {
            for (const std::size_t i : members) {
                refuse(i, done.error());
            }
        }
    }
    if (a.console.json) {
        Console::print({{"frames", entries}});
    } else {
        std::for_each(entries.begin(), entries.end(), printBodies);
    }
    return all ? kDone : kSomeFailed;
}

} // namespace

void addIdentifyVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<IdentifyArguments>();
    CLI::App* verb = program.add_subcommand("identify", "List the known bodies in solved frames");
    verb->add_option("files", a->files, "FITS frames")->required();
    verb->add_option("--orbits", a->orbits, "Orbit files")->required();
    addSkyOptions(*verb, a->sky);
    verb->add_option("--index", a->indexFolder, "Folder for the index of the orbit files");
    verb->add_option("--limit", a->limit, "Faintest magnitude within reach");
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return identifyAll(*a); }; });
}

} // namespace pathmark::command
