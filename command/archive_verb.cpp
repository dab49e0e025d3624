#include "command/archive_pieces.h"
#include "command/frame_solver.h"
#include "core/base/atomic_file.h"

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

/// Frames without a solution or a time are part of every archive; a file that cannot be read is news.
bool isNoNews(const Error& error) {
    const std::string id = name(error.id);
    return error.id == ErrorId::FrameBadWcs || error.id == ErrorId::FrameNoTime ||
           id.starts_with("solve.") || id.starts_with("detect.");
}

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

ArchiveFound lookThrough(const ArchiveArguments& a,
                         const FrameInput& input,
                         const BodySearch& search,
                         SolvedFrames& solved) {
    ArchiveFound found;
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
                found.rows.push_back({row, a.console.json ? archiveEntry(row) : nlohmann::json()});
            }
        }
    };
    const auto lost = identify::searchFrames(search.frames(), frames, job, take);
    for (const Error& error : lost) {
        a.console.say(toMessage(error));
    }
    return found;
}

/// In order of time, then of files: the same whoever found them.
void sortRows(std::vector<ArchiveFoundRow>& rows) {
    std::stable_sort(
        rows.begin(), rows.end(), [](const ArchiveFoundRow& a, const ArchiveFoundRow& b) {
            return std::pair(toIso(a.row.middle), a.row.file) <
                   std::pair(toIso(b.row.middle), b.row.file);
        });
}

/// Everything in one go, or by pieces.
Result<ArchiveFound> search(const ArchiveArguments& a, const FrameInput& input, int& status) {
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
    ArchiveFound& found = *searched;
    sortRows(found.rows);
    const auto write = [&](const std::string& path, auto&& toText) {
        if (path.empty()) {
            return;
        }
        // Names in a list count from the list's own folder, wherever it is read.
        std::vector<identify::ArchiveRow> rows;
        const fs::path folder = fs::absolute(path).parent_path();
        for (const ArchiveFoundRow& one : found.rows) {
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
        for (ArchiveFoundRow& one : found.rows) {
            rows.push_back(std::move(one.entry));
        }
        Console::print(
            {{"frames", found.frames}, {"not_solved", found.unsolved}, {"bodies", rows}});
    } else if (a.csv.empty() && a.votable.empty()) {
        std::vector<identify::ArchiveRow> rows;
        for (const ArchiveFoundRow& one : found.rows) {
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
