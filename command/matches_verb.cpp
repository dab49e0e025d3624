#include "command/console.h"
#include "command/open_night.h"
#include "core/base/atomic_file.h"
#include "core/base/csv_field.h"
#include "core/identify/bodies_in_frame.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <iterator>
#include <map>
#include <memory>

namespace pathmark::command {
namespace {

using nlohmann::json;

struct MatchesArguments {
    Console console;
    std::string nightFile;
    std::string csv;
};

/// A known body in one frame: where it was foretold, and the source that agrees, if one does.
json bodyJson(const night::PredictionRecord& p) {
    const auto pixel = frame::toFits(p.pixel);
    json entry{{"body", p.title.empty() ? p.body.text() : p.title},
               {"file", p.file.string()},
               {"time", toIso(p.time)},
               {"ra", p.sky.longitude.degrees()},
               {"dec", p.sky.latitude.degrees()},
               {"x", pixel.x},
               {"y", pixel.y},
               {"rate_arcsec_per_min", p.rateArcsecPerMin},
               {"position_angle_deg", p.positionAngleDegrees},
               {"mag", finite(p.magnitude)},
               {"expected_snr", finite(p.snr)},
               {"matched", p.match.has_value()}};
    entry["oc_ra_arcsec"] = p.match ? json(p.match->raArcsec) : json();
    entry["oc_dec_arcsec"] = p.match ? json(p.match->decArcsec) : json();
    entry["snr"] = p.match ? json(p.match->snr) : json();
    entry["chance"] = p.match ? json(p.match->chance) : json();
    return entry;
}

/// A motion that is no known body's.
json moverJson(const night::TrackRecord& track) {
    return {{"name", track.name},
            {"time", toIso(track.reference)},
            {"ra", track.place.longitude.degrees()},
            {"dec", track.place.latitude.degrees()},
            {"rate_arcsec_per_min", track.rateArcsecPerMin},
            {"position_angle_deg", track.positionAngleDegrees},
            {"frames", track.members.size()},
            {"frames_looked", track.framesLooked},
            {"log10_false_alarms", track.falseTracksLog10},
            {"resembles", track.resembles}};
}

std::string numberOf(const json& value, int digits) {
    return value.is_null() ? std::string() : fmt::format("{:.{}f}", value.get<double>(), digits);
}

std::string csvText(const json& bodies) {
    std::string text =
        "body,file,time,ra,dec,x,y,mag,expected_snr,matched,oc_ra_arcsec,oc_dec_arcsec,snr\n";
    for (const json& b : bodies) {
        text += fmt::format("{},{},{},{},{},{},{},{},{},{},{},{},{}\n",
                            csvField(b["body"].get<std::string>()),
                            csvField(b["file"].get<std::string>()),
                            b["time"].get<std::string>(),
                            numberOf(b["ra"], 7),
                            numberOf(b["dec"], 7),
                            numberOf(b["x"], 2),
                            numberOf(b["y"], 2),
                            numberOf(b["mag"], 2),
                            numberOf(b["expected_snr"], 1),
                            b["matched"].get<bool>() ? "yes" : "no",
                            numberOf(b["oc_ra_arcsec"], 3),
                            numberOf(b["oc_dec_arcsec"], 3),
                            numberOf(b["snr"], 1));
    }
    return text;
}

/// Which bodies of the field no source agrees with in any frame, in words; within reach of a frame they are news.
void sayUnmatched(const MatchesArguments& a, const std::vector<night::PredictionRecord>& all) {
    std::map<night::BodyId, std::pair<bool, double>> bodies; // matched anywhere, best expected S/N
    for (const auto& p : all) {
        auto& [matched, expected] = bodies[p.body];
        matched = matched || p.match.has_value();
        expected = std::max(expected, p.snr.value_or(0.0));
    }
    for (const auto& [body, state] : bodies) {
        if (!state.first && state.second >= identify::kReachSnr) {
            a.console.say(
                fmt::format("{} is within reach (S/N {:.0f}) and no source agrees with it",
                            body.text(),
                            state.second));
        }
    }
}

int matches(const MatchesArguments& a) {
    int status = kDone;
    const auto file = openNight(a.nightFile, status);
    if (!file) {
        return status;
    }
    const auto predictions = file->predictions();
    const auto tracks = file->tracks();
    if (!predictions || !tracks) {
        Console::complain(predictions ? tracks.error() : predictions.error());
        return kSomeFailed;
    }
    std::vector<night::PredictionRecord> known;
    std::copy_if(predictions->begin(),
                 predictions->end(),
                 std::back_inserter(known),
                 [](const auto& p) { return !p.candidate; });
    json bodies = json::array();
    for (const auto& p : known) {
        bodies.push_back(bodyJson(p));
    }
    json movers = json::array();
    for (const auto& track : *tracks) {
        movers.push_back(moverJson(track));
    }
    if (!a.csv.empty()) {
        if (auto written = writeWholeText(a.csv, csvText(bodies)); !written) {
            Console::complain(written.error());
            return kSomeFailed;
        }
    }
    sayUnmatched(a, known);
    if (a.console.json) {
        Console::print({{"bodies", bodies}, {"movers", movers}});
        return kDone;
    }
    if (a.csv.empty()) {
        Console::print(csvText(bodies));
    }
    for (const json& mover : movers) {
        a.console.say(
            fmt::format("{} moves {:.3f}\"/min towards {:.0f} degrees in {} frames and is "
                        "no known body",
                        mover["name"].get<std::string>(),
                        mover["rate_arcsec_per_min"].get<double>(),
                        mover["position_angle_deg"].get<double>(),
                        mover["frames"].get<std::size_t>()));
    }
    return kDone;
}

} // namespace

void addMatchesVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<MatchesArguments>();
    CLI::App* verb = program.add_subcommand(
        "matches", "List what a night's known bodies were matched with, and what moves unknown");
    verb->add_option("night", a->nightFile, "Night file")->required();
    verb->add_option("--csv", a->csv, "Write the bodies as CSV");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return matches(*a); }; });
}

} // namespace pathmark::command
