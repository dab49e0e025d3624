#include "command/body_search.h"
#include "command/frame_input.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <memory>

namespace pathmark::command {
namespace {

struct IdentifyArguments {
    Console console;
    FrameArguments input;
    BodySearchOptions search;
    std::optional<double> limit;
    std::string wcsFolder;
};

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
            {"mag", finite(magnitude)},
            {"in_reach", !limit || magnitude.value_or(99.0) <= *limit}};
}

nlohmann::json frameEntry(const identify::SolvedFrame& frame,
                          const identify::OrbitCatalog& catalog,
                          const std::vector<identify::BodyInFrame>& bodies,
                          double seconds) {
    nlohmann::json list = nlohmann::json::array();
    for (const auto& body : bodies) {
        list.push_back(bodyEntry(catalog, body, frame.limitingMagnitude));
    }
    const auto limit = frame.limitingMagnitude;
    return {{"file", frame.file.string()},
            {"mid_time", toIso(frame.middle)},
            {"limiting_mag", limit ? nlohmann::json(*limit) : nlohmann::json()},
            {"seconds", seconds},
            {"bodies", list}};
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

int identifyAll(const IdentifyArguments& a) {
    auto search = openBodySearch(a.search, a.console);
    if (!search) {
        Console::complain(search.error());
        return statusOf(search.error(), a.search);
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    const auto& files = input->list.files;
    std::vector<nlohmann::json> entries(files.size());
    bool all = true;
    const auto refused = [&](const std::string& file, const Error& error) {
        Console::complain(error);
        all = false;
        return nlohmann::json{
            {"file", file}, {"reason", error.detail}, {"bodies", nlohmann::json::array()}};
    };
    const auto refuse = [&](std::size_t i, const Error& error) {
        entries[i] = refused(files[i].string(), error);
    };
    std::vector<identify::SolvedFrame> frames;
    std::vector<std::size_t> place; ///< of each frame among the files
    for (std::size_t i = 0; i < files.size(); ++i) {
        auto frame = identify::readSolvedFrame(files[i], a.wcsFolder, input->rules);
        if (!frame) {
            refuse(i, frame.error());
            continue;
        }
        frame->limitingMagnitude = a.limit ? a.limit : frame->limitingMagnitude;
        frames.push_back(std::move(*frame));
        place.push_back(i);
    }
    const auto lost =
        identify::searchFrames(search->frames(),
                               frames,
                               a.console.job(),
                               [&](std::size_t k, const auto& bodies, double seconds) {
                                   if (bodies) {
                                       entries[place[k]] =
                                           frameEntry(frames[k], search->catalog, *bodies, seconds);
                                   } else {
                                       refuse(place[k], bodies.error());
                                   }
                               });
    for (const Error& error : input->list.failures) {
        entries.push_back(refused(error.subject, error));
    }
    for (const Error& error : lost) {
        a.console.say(toMessage(error));
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
    addFrameArguments(*verb, a->input);
    addBodySearchOptions(*verb, a->search);
    verb->add_option("--limit", a->limit, "Faintest magnitude within reach");
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return identifyAll(*a); }; });
}

} // namespace pathmark::command
