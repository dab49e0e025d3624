#include "core/batch/slurm_engine.h"

#include "core/batch/process.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <sstream>

namespace pathmark::batch {
namespace {

/// Runs one of Slurm's commands.
Result<std::string> ask(std::vector<std::string> words) {
    const std::string command = words.front();
    auto ended = runCommand({std::move(words), {}, {}}, {});
    if (!ended) {
        return fail(ErrorId::BatchNoEngine,
                    "Slurm's commands are not on this machine: " + ended.error().detail,
                    command);
    }
    if (ended->status != 0) {
        return fail(ErrorId::BatchNoEngine, "Slurm says: " + ended->text, command);
    }
    return std::move(ended->text);
}

std::string quoted(const std::string& word) {
    std::string text = "'";
    for (const char c : word) {
        text += c == '\'' ? std::string("'\\''") : std::string(1, c);
    }
    return text + "'";
}

/// The place in its array stays a variable of the shell.
std::string lineOf(const Campaign& campaign, const std::filesystem::path& list) {
    std::string line = "exec";
    for (const std::string& word : pieceWords(campaign, list, {})) {
        line += ' ' + (word.empty() ? "\"$SLURM_ARRAY_TASK_ID\"" : quoted(word));
    }
    return line;
}

/// One job of an array.
struct Task {
    std::string job; ///< "17_3"
    std::string list;
    std::size_t place = 0;
    bool isHeld = false;
};

/// Of a line "17_3 pathmark-CAMPAIGN-LIST reason": nullopt for a job that is none of ours.
std::optional<Task> taskOf(const std::string& line, const std::string& prefix) {
    std::istringstream words(line);
    Task task;
    std::string title;
    std::string reason;
    words >> task.job >> title;
    std::getline(words, reason);
    const std::size_t bar = task.job.find('_');
    if (!title.starts_with(prefix) || bar == std::string::npos) {
        return std::nullopt;
    }
    task.list = title.substr(prefix.size());
    task.place = std::strtoul(task.job.c_str() + bar + 1, nullptr, 10);
    std::transform(reason.begin(), reason.end(), reason.begin(), [](unsigned char c) {
        return static_cast<char>(std::tolower(c));
    });
    task.isHeld = reason.find("held") != std::string::npos ||
                  reason.find("dependencyneversatisfied") != std::string::npos;
    return task;
}

std::string prefixOf(const Campaign& campaign) {
    return "pathmark-" + campaign.id + "-";
}

} // namespace

Result<std::string> SlurmEngine::submit(const PieceArray& array) {
    std::vector<std::string> words{
        "sbatch",
        "--parsable",
        "--requeue",
        "--open-mode=append",
        "--job-name=" + prefixOf(campaign_) + array.list.stem().string(),
        fmt::format("--array=0-{}", array.pieces.size() - 1),
        fmt::format("--cpus-per-task={}", processors_),
        fmt::format("--mem={:.0f}M", std::ceil(array.asked.memoryMegabytes)),
        fmt::format("--time={:.0f}", std::ceil(array.asked.seconds / 60.0)),
        "--chdir=" + campaign_.start.string(),
        "--output=" + (campaign_.folder / "log" / "job-%A_%a.txt").string()};
    if (!array.after.empty()) {
        words.push_back("--dependency=afterany:" + fmt::format("{}", fmt::join(array.after, ":")));
    }
    words.insert(words.end(), options_.begin(), options_.end());
    words.push_back("--wrap=" + lineOf(campaign_, array.list));
    auto answer = ask(std::move(words));
    if (!answer) {
        return answer;
    }
    // "17" or "17;cluster"
    const std::string job = answer->substr(0, answer->find_first_of(";\n"));
    if (job.empty() || !std::all_of(job.begin(), job.end(), [](unsigned char c) {
            return std::isdigit(c) != 0;
        })) {
        return fail(
            ErrorId::BatchNoEngine, "Slurm's answer is not understood: " + *answer, "sbatch");
    }
    return job;
}

Result<std::set<std::string>> SlurmEngine::atWork() {
    const auto answer = ask({"squeue", "--noheader", "--array", "--me", "--format=%i %j %r"});
    if (!answer) {
        return fail(answer.error());
    }
    std::set<std::string> pieces;
    std::vector<std::string> held{"scancel"};
    std::istringstream lines(*answer);
    for (std::string line; std::getline(lines, line);) {
        const auto task = taskOf(line, prefixOf(campaign_));
        if (!task) {
            continue;
        }
        if (task->isHeld) {
            held.push_back(task->job);
            continue;
        }
        if (auto piece =
                pieceAt(campaign_.folder / "arrays" / (task->list + ".txt"), task->place)) {
            pieces.insert(std::move(*piece));
        }
    }
    if (held.size() > 1) {
        if (auto done = ask(std::move(held)); !done) {
            return fail(done.error());
        }
    }
    return pieces;
}

Result<bool> SlurmEngine::cancel() {
    const auto answer = ask({"squeue", "--noheader", "--me", "--format=%A %j"});
    if (!answer) {
        return fail(answer.error());
    }
    std::set<std::string> jobs;
    std::istringstream lines(*answer);
    std::string job;
    std::string title;
    while (lines >> job >> title) {
        if (title.starts_with(prefixOf(campaign_))) {
            jobs.insert(job);
        }
    }
    if (jobs.empty()) {
        return true;
    }
    std::vector<std::string> words{"scancel"};
    words.insert(words.end(), jobs.begin(), jobs.end());
    auto done = ask(std::move(words));
    return done ? Result<bool>(true) : fail(done.error());
}

} // namespace pathmark::batch
