#include "command/archive_pieces.h"

#include "core/base/atomic_file.h"
#include "core/base/whole_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <span>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

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

} // namespace

nlohmann::json archiveEntry(const identify::ArchiveRow& row) {
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

Result<ArchiveFound> lookThroughPieces(const ArchiveArguments& a, const FrameInput& input) {
    ArchiveFound found;
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
            nlohmann::json entry = hasEntries ? entries->at(k) : archiveEntry(row);
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

} // namespace pathmark::command
