#include "core/batch/run_piece.h"

#include "core/base/atomic_file.h"
#include "core/base/whole_file.h"
#include "core/batch/process.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cstdlib>

namespace pathmark::batch {
namespace {

namespace fs = std::filesystem;

std::string machineName() {
    if (const char* node = std::getenv("SLURMD_NODENAME")) {
        return node; // several may run on one machine
    }
    std::array<char, 256> name{};
    ::gethostname(name.data(), name.size() - 1);
    return name.data();
}

std::vector<std::string>
wordsOf(const Campaign& campaign, const Piece& piece, const fs::path& out) {
    std::vector<std::string> words{campaign.program.string()};
    for (std::string word : piece.words) {
        word = filledIn(std::move(word), "{out}", out.string());
        for (const std::string& need : piece.needs) {
            word = filledIn(
                std::move(word), "{piece:" + need + "}", campaign.resultsOf(need).string());
        }
        words.push_back(std::move(word));
    }
    return words;
}

/// Whether a verb came to its end though parts of its work failed: it printed an object, and not that of its failing altogether.
bool cameToItsEnd(const std::string& answer) {
    const auto document = nlohmann::json::parse(answer, nullptr, false);
    return document.is_object() && document.value("done", nlohmann::json(true)) != false;
}

/// The last words of a log.
std::string lastOf(const fs::path& log) {
    constexpr std::size_t most = 600;
    std::string text = readWholeFile(log).value_or("");
    while (!text.empty() && text.back() == '\n') {
        text.pop_back();
    }
    return text.size() <= most ? text : "..." + text.substr(text.size() - most);
}

std::string wordsFor(const Ended& ended, const fs::path& log) {
    const std::string how = ended.signal != 0
                                ? fmt::format("It was ended by signal {}", ended.signal)
                                : fmt::format("It ended with status {}", ended.status);
    return how + ": " + lastOf(log);
}

/// Databases that were not closed are no result: what they hold stands in part beside them.
bool isClosed(const fs::path& folder) {
    std::error_code status;
    for (auto at = fs::recursive_directory_iterator(folder, status);
         !status && at != fs::recursive_directory_iterator();
         at.increment(status)) {
        if (at->path().filename().string().ends_with("-wal")) {
            return false;
        }
    }
    return true;
}

} // namespace

Result<PieceOutcome> runPiece(const Campaign& campaign,
                              const Piece& piece,
                              const fs::path& scratch,
                              const std::stop_token& stop) {
    if (resultOf(campaign, piece.id)) {
        return PieceOutcome::DoneThen;
    }
    for (const std::string& need : piece.needs) {
        if (!resultOf(campaign, need)) {
            return PieceOutcome::NotReady;
        }
    }
    const auto failed = [&](const Ended& ended, const std::string& words) -> Result<PieceOutcome> {
        auto noted =
            noteAttempt(campaign, piece.id, {words, machineName(), ended.status == 2, ended.cost});
        return noted ? Result<PieceOutcome>(PieceOutcome::Failed) : fail(noted.error());
    };
    const fs::path out = scratch / "out";
    const fs::path log = scratch / "log";
    if (!makeFolder(out)) {
        return failed({}, "No folder can be made in " + scratch.string() + ".");
    }
    const Command command{wordsOf(campaign, piece, out), {}, log, campaign.start};
    auto ended = runCommand(command, stop);
    if (!ended) {
        return failed({}, toMessage(ended.error()));
    }
    if (stop.stop_requested()) {
        return PieceOutcome::Stopped;
    }
    std::error_code ignored;
    fs::copy_file(log,
                  campaign.folder / "log" /
                      fmt::format("{}.{}.{}.txt", piece.id, machineName(), ::getpid()),
                  ignored);
    const bool isDone = ended->status == 0 || (ended->status == 1 && cameToItsEnd(ended->text));
    if (!isDone || !isClosed(out)) {
        return failed(*ended, wordsFor(*ended, log));
    }
    auto published = publish(
        campaign, {piece.id, ended->status, ended->cost, machineName(), ended->text, {}}, out);
    if (!published) {
        return fail(published.error());
    }
    return *published ? PieceOutcome::Done : PieceOutcome::DoneThen;
}

} // namespace pathmark::batch
