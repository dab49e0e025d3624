#include "command/batch_options.h"
#include "command/body_search.h"
#include "command/frame_input.h"
#include "command/frame_solver.h"
#include "core/base/atomic_file.h"
#include "core/base/whole_file.h"
#include "core/identify/archive_table.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>
#include <memory>
#include <set>
#include <span>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

struct ArchiveArguments {
    Console console;
    FrameArguments input;
    BodySearchOptions search;
    std::optional<double> limit;
    std::vector<std::string> bodies;
    std::string wcsFolder;
    std::string store;
    std::string catalog;
    std::string csv;
    std::string votable;
    BatchOptions batch;
};

identify::ArchiveRow rowOf(const identify::SolvedFrame& frame,
                           const identify::OrbitCatalog& catalog,
                           const identify::BodyInFrame& body) {
    const auto pixel = frame::toFits(body.pixel);
    return {std::string(catalog.name(body.orbit)),
            frame.file.string(),
            frame.middle,
            body.place.sky,
            pixel.x,
            pixel.y,
            body.place.rateArcsecPerMin(),
            body.place.positionAngle().degrees(),
            body.place.magnitude,
            frame.limitingMagnitude,
            body.place.distanceAu};
}

nlohmann::json rowEntry(const identify::ArchiveRow& row) {
    return {{"body", row.body},
            {"file", row.file},
            {"mid_time", toIso(row.middle)},
            {"ra", row.sky.longitude.degrees()},
            {"dec", row.sky.latitude.degrees()},
            {"x", row.x},
            {"y", row.y},
            {"rate_arcsec_per_min", row.rateArcsecPerMin},
            {"position_angle_deg", row.positionAngleDegrees},
            {"mag", finite(row.magnitude)},
            {"limiting_mag", finite(row.limitingMagnitude)}};
}

/// Frames without a solution or a time are part of every archive; a file that cannot be read is news.
bool isNoNews(const Error& error) {
    const std::string id = name(error.id);
    return error.id == ErrorId::FrameBadWcs || error.id == ErrorId::FrameNoTime ||
           id.starts_with("solve.") || id.starts_with("detect.");
}

/// A row, and what of it is printed as JSON, to all its digits.
struct FoundRow {
    identify::ArchiveRow row;
    nlohmann::json entry;
};

struct Found {
    std::vector<FoundRow> rows;
    std::size_t frames = 0;
    std::size_t unsolved = 0;
    bool complete = true;
};

/// Frames as they are found, solved on the way where they are not and a catalogue is given.
class SolvedFrames {
  public:
    SolvedFrames(const ArchiveArguments& arguments, const FrameInput& input)
        : arguments_(arguments), input_(input) {}

    /// Errors   those of FrameSolver::open
    Result<bool> openCatalogue(const Job& job) {
        if (arguments_.store.empty()) {
            return true;
        }
        auto solver = FrameSolver::open(arguments_.store, arguments_.catalog, job);
        if (!solver) {
            return fail(solver.error());
        }
        solver_ = std::move(*solver);
        return arguments_.wcsFolder.empty() ? Result<bool>(true) : makeFolder(arguments_.wcsFolder);
    }

    /// Errors   those of readSolvedFrame; solve.*
    Result<identify::SolvedFrame> take(const fs::path& file) {
        auto frame = identify::readSolvedFrame(file, arguments_.wcsFolder, input_.rules);
        const bool isSolved = frame.has_value();
        const bool wantsLimit = isSolved && !frame->limitingMagnitude && !arguments_.limit;
        if (!solver_ || (isSolved && !wantsLimit) ||
            (!isSolved && frame.error().id != ErrorId::FrameBadWcs)) {
            return frame;
        }
        const auto own = solver_->solve(file, input_.rules, {});
        if (!own) {
            return isSolved ? frame : fail(own.error());
        }
        auto solved = identify::solvedFrame(
            own->info,
            isSolved ? frame->wcs : own->solution.wcs,
            own->photometry ? std::optional(own->photometry->limitingMag) : std::nullopt);
        if (solved && !arguments_.wcsFolder.empty()) {
            if (auto written = writeSolution(*own, file, arguments_.wcsFolder); !written) {
                return fail(written.error());
            }
        }
        return solved;
    }

  private:
    const ArchiveArguments& arguments_;
    const FrameInput& input_;
    std::optional<FrameSolver> solver_;
};

Found lookThrough(const ArchiveArguments& a,
                  const FrameInput& input,
                  const BodySearch& search,
                  SolvedFrames& solved) {
    Found found;
    for (const Error& error : input.list.failures) {
        Console::complain(error);
        found.complete = false;
    }
    const Job job = a.console.job();
    std::vector<identify::SolvedFrame> frames;
    for (const fs::path& file : input.list.files) {
        job.progress("Reading frames",
                     static_cast<int>(frames.size() + found.unsolved),
                     static_cast<int>(input.list.files.size()));
        auto frame = solved.take(file);
        if (frame) {
            frame->limitingMagnitude = a.limit ? a.limit : frame->limitingMagnitude;
            frames.push_back(std::move(*frame));
            continue;
        }
        ++found.unsolved;
        if (!isNoNews(frame.error())) {
            Console::complain(frame.error());
            found.complete = false;
        } else if (!a.store.empty()) {
            a.console.say(file.string() + ": " + frame.error().detail);
        }
    }
    found.frames = frames.size();
    const std::set<std::string> wanted(a.bodies.begin(), a.bodies.end());
    const auto take = [&](std::size_t k, const auto& bodies, double) {
        if (!bodies) {
            Console::complain(bodies.error());
            found.complete = false;
            return;
        }
        for (const auto& body : *bodies) {
            const double limit = frames[k].limitingMagnitude.value_or(99.0);
            const auto row = rowOf(frames[k], search.catalog, body);
            if (body.place.magnitude.value_or(0.0) <= limit &&
                (wanted.empty() || wanted.contains(row.body))) {
                found.rows.push_back({row, a.console.json ? rowEntry(row) : nlohmann::json()});
            }
        }
    };
    const auto lost = identify::searchFrames(search.frames(), frames, job, take);
    for (const Error& error : lost) {
        a.console.say(toMessage(error));
    }
    return found;
}

/// The verb's words for a piece that goes through some of the frames.
std::vector<std::string> wordsFor(const ArchiveArguments& a, std::span<const fs::path> files) {
    std::vector<std::string> words{"archive"};
    for (const fs::path& file : files) {
        words.push_back(fs::absolute(file).lexically_normal().string());
    }
    const auto add = [&](const char* option, const std::string& value) {
        if (!value.empty()) {
            words.insert(words.end(), {option, value});
        }
    };
    const auto addAll = [&](const char* option, const std::vector<std::string>& values) {
        if (!values.empty()) {
            words.emplace_back(option);
            words.insert(words.end(), values.begin(), values.end());
        }
    };
    addAll("--as", a.input.reading.kinds);
    add("--equipment", a.input.reading.equipment);
    addAll("--orbits", a.search.orbits);
    add("--index", a.search.indexFolder);
    const std::vector<std::string> sky = wordsOf(a.search.sky);
    words.insert(words.end(), sky.begin(), sky.end());
    addAll("--body", a.bodies);
    add("--wcs", a.wcsFolder);
    add("--store", a.store);
    add("--catalog", a.catalog);
    if (a.limit) {
        add("--limit", fmt::format("{}", *a.limit));
    }
    words.insert(words.end(), {"--csv", "{out}/list.csv", "--json", "--quiet", "--threads"});
    words.push_back(std::to_string(std::max(1, a.console.threads)));
    return words;
}

/// A piece for each folder, whose frames are searched together as those of one night are; where many are to be solved, pieces that do
/// that come before it. The folders' pieces are named in `lists`.
std::vector<batch::Piece> cutArchive(const ArchiveArguments& a,
                                     const std::vector<fs::path>& files,
                                     std::vector<std::string>& lists) {
    const auto most = static_cast<std::size_t>(a.batch.pieceFrames > 0 ? a.batch.pieceFrames : 100);
    std::map<fs::path, std::vector<fs::path>> folders;
    for (const fs::path& file : files) {
        folders[fs::absolute(file).parent_path()].push_back(file);
    }
    std::vector<batch::Piece> pieces;
    const auto add = [&](std::string id, std::span<const fs::path> some, double share) {
        batch::Piece piece;
        piece.id = std::move(id);
        piece.words = wordsFor(a, some);
        piece.size = share * megapixelsOf({some.begin(), some.end()});
        piece.asked = expectedFor(piece.size, piece.size / static_cast<double>(some.size()));
        pieces.push_back(std::move(piece));
    };
    for (const auto& [folder, own] : folders) {
        const std::string name = fmt::format("folder-{:06}", lists.size());
        std::vector<std::string> needs;
        // What they find out is kept in the folder of --wcs alone.
        const bool isSolvedFirst = !a.store.empty() && !a.wcsFolder.empty() && own.size() > most;
        for (std::size_t first = 0; isSolvedFirst && first < own.size(); first += most) {
            add(fmt::format("{}-part-{:04}", name, first / most),
                std::span(own).subspan(first, std::min(most, own.size() - first)),
                1.0);
            needs.push_back(pieces.back().id);
        }
        add(name, own, isSolvedFirst ? 0.1 : 1.0);
        pieces.back().needs = std::move(needs);
        lists.push_back(name);
    }
    return pieces;
}

/// The same as lookThrough, by pieces.
Result<Found> lookThroughPieces(const ArchiveArguments& a, const FrameInput& input) {
    Found found;
    for (const Error& error : input.list.failures) {
        Console::complain(error);
        found.complete = false;
    }
    if (!a.wcsFolder.empty()) {
        if (auto made = makeFolder(a.wcsFolder); !made) {
            return fail(made.error());
        }
    }
    std::map<std::string, std::string> given;
    for (const fs::path& file : input.list.files) {
        given.emplace(fs::absolute(file).lexically_normal().string(), file.string());
    }
    std::vector<std::string> lists;
    batch::CampaignState state;
    const auto campaign =
        conductPieces("archive", cutArchive(a, input.list.files, lists), a.batch, a.console, state);
    if (!campaign) {
        return fail(campaign.error());
    }
    for (const std::string& piece : lists) {
        const auto result = batch::resultOf(*campaign, piece);
        const auto text = readWholeFile(campaign->resultsOf(piece) / "list.csv");
        if (!result || !text || !batch::isIntact(*campaign, *result)) {
            found.complete = false;
            continue;
        }
        auto rows = identify::parseArchiveTable(*text);
        if (!rows) {
            return fail(rows.error());
        }
        const auto answer = nlohmann::json::parse(result->answer, nullptr, false);
        const auto entries = answer.is_object() ? answer.find("bodies") : answer.end();
        const bool hasEntries =
            answer.is_object() && entries != answer.end() && entries->size() == rows->size();
        for (std::size_t k = 0; k < rows->size(); ++k) {
            identify::ArchiveRow& row = (*rows)[k];
            const auto asGiven = given.find(row.file);
            row.file = asGiven == given.end() ? row.file : asGiven->second;
            nlohmann::json entry = hasEntries ? entries->at(k) : rowEntry(row);
            entry["file"] = row.file;
            found.rows.push_back({std::move(row), std::move(entry)});
        }
        if (answer.is_object()) {
            found.frames += answer.value("frames", std::size_t{0});
            found.unsolved += answer.value("not_solved", std::size_t{0});
        }
        if (result->status != 0) {
            found.complete = false;
            a.console.say(fmt::format("{}: some frames could not be read; {} says which.",
                                      piece,
                                      (campaign->folder / "log").string()));
        }
    }
    return found;
}

/// In order of time, then of files: the same whoever found them.
void sortRows(std::vector<FoundRow>& rows) {
    std::stable_sort(rows.begin(), rows.end(), [](const FoundRow& a, const FoundRow& b) {
        return std::pair(toIso(a.row.middle), a.row.file) <
               std::pair(toIso(b.row.middle), b.row.file);
    });
}

/// Everything in one go, or by pieces.
Result<Found> search(const ArchiveArguments& a, const FrameInput& input, int& status) {
    if (a.batch.isBatch()) {
        return lookThroughPieces(a, input);
    }
    auto search = openBodySearch(a.search, a.console);
    if (!search) {
        status = statusOf(search.error(), a.search);
        return fail(search.error());
    }
    SolvedFrames solved(a, input);
    if (auto opened = solved.openCatalogue(a.console.job()); !opened) {
        return fail(opened.error());
    }
    return lookThrough(a, input, *search, solved);
}

int archive(const ArchiveArguments& a) {
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    int status = kSomeFailed;
    auto searched = search(a, *input, status);
    if (!searched) {
        Console::complain(searched.error());
        return status;
    }
    Found& found = *searched;
    sortRows(found.rows);
    const auto write = [&](const std::string& path, auto&& toText) {
        if (path.empty()) {
            return;
        }
        // Names in a list count from the list's own folder, wherever it is read.
        std::vector<identify::ArchiveRow> rows;
        const fs::path folder = fs::absolute(path).parent_path();
        for (const FoundRow& one : found.rows) {
            rows.push_back(one.row);
            const fs::path file = fs::absolute(one.row.file).lexically_normal();
            const fs::path near = file.lexically_relative(folder);
            rows.back().file = (near.empty() || *near.begin() == ".." ? file : near).string();
        }
        if (auto written = writeWholeText(path, toText(rows)); !written) {
            Console::complain(written.error());
            found.complete = false;
        }
    };
    write(a.csv, identify::toArchiveCsv);
    write(a.votable, identify::toArchiveVoTable);
    if (a.console.json) {
        nlohmann::json rows = nlohmann::json::array();
        for (FoundRow& one : found.rows) {
            rows.push_back(std::move(one.entry));
        }
        Console::print(
            {{"frames", found.frames}, {"not_solved", found.unsolved}, {"bodies", rows}});
    } else if (a.csv.empty() && a.votable.empty()) {
        std::vector<identify::ArchiveRow> rows;
        for (const FoundRow& one : found.rows) {
            rows.push_back(one.row);
        }
        Console::print(identify::toArchiveCsv(rows));
    }
    a.console.say(
        fmt::format("{} places of known bodies in {} solved frames; {} files are not solved.",
                    found.rows.size(),
                    found.frames,
                    found.unsolved));
    return found.complete ? kDone : kSomeFailed;
}

} // namespace

void addArchiveVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<ArchiveArguments>();
    CLI::App* verb =
        program.add_subcommand("archive", "Known bodies within reach in all frames of old nights");
    addFrameArguments(*verb, a->input);
    addBodySearchOptions(*verb, a->search);
    verb->add_option("--limit", a->limit, "Faintest magnitude within reach, for all frames");
    verb->add_option("--body", a->bodies, "Only these bodies");
    verb->add_option(
        "--wcs", a->wcsFolder, "Folder of .wcs files; what is solved on the way is kept there");
    auto* store = verb->add_option(
        "--store", a->store, "Folder of the catalogues: frames that are not solved are");
    auto* name = verb->add_option("--catalog", a->catalog, "Catalogue");
    store->needs(name);
    name->needs(store);
    verb->add_option("--csv", a->csv, "Write the list as CSV");
    verb->add_option("--votable", a->votable, "Write the list as VOTable");
    addBatchOptions(*verb, a->batch);
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return archive(*a); }; });
}

} // namespace pathmark::command
