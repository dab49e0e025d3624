#include "command/night_pieces.h"
#include "core/base/atomic_file.h"
#include "core/base/csv_field.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <array>
#include <memory>
#include <optional>
#include <set>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

struct BatchArguments {
    Console console;
    BatchOptions batch;
    std::vector<std::string> places;
    std::string words;
    std::string out;
    bool stops = false;
};

nlohmann::json stateEntry(const batch::Campaign& campaign, const batch::CampaignState& state) {
    return {{"pieces", campaign.pieces.size()},
            {"done", state.done.size()},
            {"at_work", state.atWork},
            {"waiting", state.waiting},
            {"failed", state.failed},
            {"attempts_failed", state.attempts},
            {"processor_seconds", state.cost.processorSeconds},
            {"memory_mb", state.cost.memoryMegabytes}};
}

/// How far the work of a folder is; or its end.
int tell(const BatchArguments& a) {
    const auto campaign = batch::readCampaign(a.batch.work);
    if (!campaign) {
        Console::complain(campaign.error());
        return kWrongUse;
    }
    BatchOptions slurm = a.batch;
    slurm.engine = "slurm";
    const auto engine = engineFor(*campaign, slurm, a.console);
    if (a.stops) {
        if (auto stopped = engine->cancel(); !stopped) {
            Console::complain(stopped.error());
            return kSomeFailed;
        }
    }
    auto state = batch::stateOf(*campaign, {});
    if (state.waiting > 0) {
        if (const auto atWork = engine->atWork()) {
            state = batch::stateOf(*campaign, *atWork);
        } else {
            a.console.say("Slurm does not answer; what waits may be at work on this machine.");
        }
    }
    if (a.console.json) {
        auto document = stateEntry(*campaign, state);
        document["work"] = campaign->folder.string();
        Console::print(document);
    } else {
        Console::print(fmt::format(
            "{} of {} pieces are done, {} at work, {} waiting, {} given up; {:.1f} hours "
            "of processors, {} attempts went wrong.\n",
            state.done.size(),
            campaign->pieces.size(),
            state.atWork,
            state.waiting,
            state.failed.size(),
            state.cost.processorSeconds / 3600.0,
            state.attempts));
    }
    return kDone;
}

/// What a night's command said of it, as far as that is told of every night.
std::string countOf(const nlohmann::json& answer, const char* name) {
    const auto value = answer.is_object() ? answer.find(name) : answer.end();
    return answer.is_object() && value != answer.end() && value->is_number() ? value->dump()
                                                                             : std::string();
}

constexpr std::array kCounts{
    "frames", "lights", "solved", "bodies", "candidates", "measurements", "kept"};

/// The list of the nights, whoever did them and in whatever order.
class NightList {
  public:
    NightList() : csv_("night,folder,done,failures") {
        for (const char* count : kCounts) {
            csv_ += std::string(",") + count;
        }
        csv_ += "\n";
    }

    void
    add(const NightPieces& night, const std::optional<batch::PieceResult>& result, bool isThere) {
        const bool hasFailures = !result || result->status != 0;
        const auto answer =
            nlohmann::json::parse(result ? result->answer : std::string(), nullptr, false);
        csv_ += fmt::format("{},{},{},{}",
                            night.name,
                            csvField(night.folder.string()),
                            isThere ? "yes" : "no",
                            hasFailures ? "yes" : "no");
        nlohmann::json entry{{"night", night.name},
                             {"folder", night.folder.string()},
                             {"done", isThere},
                             {"failures", hasFailures}};
        for (const char* count : kCounts) {
            const std::string text = countOf(answer, count);
            csv_ += "," + text;
            if (!text.empty()) {
                entry[count] = answer[count];
            }
        }
        csv_ += "\n";
        json_.push_back(std::move(entry));
    }

    [[nodiscard]] const std::string& csv() const { return csv_; }

    [[nodiscard]] const nlohmann::json& json() const { return json_; }

  private:
    std::string csv_;
    nlohmann::json json_ = nlohmann::json::array();
};

int collect(const BatchArguments& a,
            const batch::Campaign& campaign,
            const batch::CampaignState& state,
            const std::vector<NightPieces>& nights) {
    NightList list;
    bool isWhole = true;
    for (const NightPieces& night : nights) {
        const auto result = batch::resultOf(campaign, night.last);
        const auto collected = result ? collectNight(campaign, night, a.out) : Result<bool>(false);
        if (!collected) {
            Console::complain(collected.error());
        }
        const bool isThere = collected && *collected;
        isWhole = isWhole && isThere && result->status == 0;
        list.add(night, result, isThere);
    }
    const fs::path csv = fs::path(a.out) / "nights.csv";
    if (auto written = writeWholeText(csv, list.csv()); !written) {
        Console::complain(written.error());
        isWhole = false;
    }
    if (a.console.json) {
        Console::print(nlohmann::json{{"done", state.failed.empty()},
                                      {"out", a.out},
                                      {"nights", list.json()},
                                      {"pieces", stateEntry(campaign, state)}});
    }
    a.console.say(
        fmt::format("{} nights are in {}; {} lists them.", nights.size(), a.out, csv.string()));
    return isWhole ? kDone : kSomeFailed;
}

int batchNights(const BatchArguments& a) {
    if (a.places.empty()) {
        return tell(a);
    }
    if (a.words.empty() || a.out.empty() || a.stops) {
        Console::complain(
            {ErrorId::CommandWrongUse,
             "Say with --do what is done with each night and with --out where the results go; "
             "--stop goes with --work alone.",
             {}});
        return kWrongUse;
    }
    std::vector<NightPieces> nights;
    auto pieces = cutNights({a.places.begin(), a.places.end()},
                            CLI::detail::split_up(a.words),
                            a.batch,
                            a.console.threads,
                            nights);
    if (!pieces) {
        Console::complain(pieces.error());
        return kWrongUse;
    }
    if (auto made = makeFolder(a.out); !made) {
        Console::complain(made.error());
        return kSomeFailed;
    }
    batch::CampaignState state;
    // While others are at work; what cannot be brought there is tried and told once more at the end.
    const PieceDone bring = [&](const batch::Campaign& campaign, const std::string& piece) {
        for (const NightPieces& night : nights) {
            if (night.last == piece) {
                (void)collectNight(campaign, night, a.out);
            }
        }
    };
    const auto campaign =
        conductPieces("nights", std::move(*pieces), a.batch, a.console, state, bring);
    if (!campaign) {
        Console::complain(campaign.error());
        return campaign.error().id == ErrorId::BatchBadCampaign ? kWrongUse : kSomeFailed;
    }
    return collect(a, *campaign, state, nights);
}

} // namespace

void addBatchVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<BatchArguments>();
    CLI::App* verb = program.add_subcommand(
        "batch", "A command over many nights, in pieces, on this machine or on a batch engine");
    verb->add_option("nights", a->places, "Folders, each of one night; none: how far --work is");
    verb->add_option(
        "--do",
        a->words,
        "The command for each night, as \"run --recipe FILE\"; {night} in it is the night's "
        "folder, {out} that of its results");
    verb->add_option(
        "--out", a->out, "Where the results of each night go, in a folder of its name");
    verb->add_flag("--stop", a->stops, "Take back what the engine has of --work");
    addBatchOptions(*verb, a->batch);
    verb->get_option("--work")->required();
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] {
        if (!a->batch.isBatch()) {
            a->batch.engine = "here";
        }
        chosen = [a] { return batchNights(*a); };
    });
}

} // namespace pathmark::command
