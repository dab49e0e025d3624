#include "core/batch/campaign.h"

#include "core/base/atomic_file.h"
#include "core/base/copy_files.h"
#include "core/base/hash.h"
#include "core/base/whole_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

#include <algorithm>
#include <chrono>

namespace pathmark::batch {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr const char* kSidecar = "piece.json";
constexpr int kVersion = 1;

bool isId(const std::string& id) {
    return !id.empty() && id.size() <= 120 &&
           std::all_of(id.begin(), id.end(), [](unsigned char c) {
               return std::isalnum(c) != 0 || c == '-' || c == '_';
           });
}

json toJson(const Piece& piece) {
    return {{"id", piece.id},
            {"words", piece.words},
            {"needs", piece.needs},
            {"memory_mb", piece.asked.memoryMegabytes},
            {"seconds", piece.asked.seconds},
            {"size_mpx", piece.size}};
}

Piece pieceFrom(const json& entry) {
    Piece piece;
    piece.id = entry.at("id").get<std::string>();
    piece.words = entry.at("words").get<std::vector<std::string>>();
    piece.needs = entry.at("needs").get<std::vector<std::string>>();
    piece.asked = {entry.at("memory_mb").get<double>(), entry.at("seconds").get<double>()};
    piece.size = entry.at("size_mpx").get<double>();
    return piece;
}

json toJson(const Cost& cost) {
    return {{"seconds", cost.seconds},
            {"processor_seconds", cost.processorSeconds},
            {"memory_mb", cost.memoryMegabytes}};
}

Cost costFrom(const json& entry) {
    return {entry.at("seconds").get<double>(),
            entry.at("processor_seconds").get<double>(),
            entry.at("memory_mb").get<double>()};
}

/// The same work has the same id, whatever it is expected to take.
std::string idOf(const std::string& kind, const fs::path& start, const std::vector<Piece>& pieces) {
    Digest digest;
    digest.add(kind).add(start.string());
    for (const Piece& piece : pieces) {
        digest.add(piece.id);
        for (const auto* list : {&piece.words, &piece.needs}) {
            digest.add(std::to_string(list->size()));
            for (const std::string& word : *list) {
                digest.add(word);
            }
        }
    }
    return digest.hex().substr(0, 12);
}

std::optional<Error> faultOf(const std::vector<Piece>& pieces) {
    std::set<std::string> known;
    for (const Piece& piece : pieces) {
        if (!isId(piece.id) || piece.words.empty() || known.contains(piece.id)) {
            return Error{ErrorId::BatchBadCampaign,
                         "This is no name of a piece, or stands there twice.",
                         piece.id};
        }
        for (const std::string& need : piece.needs) {
            // A piece stands behind what it needs: so none can wait for itself.
            if (!known.contains(need)) {
                return Error{ErrorId::BatchBadCampaign,
                             "It needs a piece that does not stand before it.",
                             piece.id};
            }
        }
        known.insert(piece.id);
    }
    return std::nullopt;
}

/// All files below a folder by their path in it, links not followed.
std::vector<std::string> filesBelow(const fs::path& folder) {
    std::vector<std::string> files;
    std::error_code status;
    for (auto at = fs::recursive_directory_iterator(folder, status);
         !status && at != fs::recursive_directory_iterator();
         at.increment(status)) {
        if (at->is_regular_file(status)) {
            files.push_back(at->path().lexically_relative(folder).string());
        }
    }
    std::sort(files.begin(), files.end());
    return files;
}

} // namespace

const Piece* Campaign::find(const std::string& piece) const {
    const auto found = std::find_if(
        pieces.begin(), pieces.end(), [&](const Piece& known) { return known.id == piece; });
    return found == pieces.end() ? nullptr : &*found;
}

std::string filledIn(std::string word, const std::string& mark, const std::string& by) {
    for (std::size_t at = word.find(mark); at != std::string::npos;
         at = word.find(mark, at + by.size())) {
        word.replace(at, mark.size(), by);
    }
    return word;
}

Result<Campaign> beginCampaign(const fs::path& folder,
                               const std::string& kind,
                               const fs::path& program,
                               std::vector<Piece> pieces) {
    if (auto fault = faultOf(pieces)) {
        return fail(*fault);
    }
    std::error_code status;
    const fs::path start = fs::current_path(status);
    Campaign campaign{
        idOf(kind, start, pieces), kind, fs::absolute(folder), program, start, std::move(pieces)};
    if (fs::exists(campaign.folder / "campaign.json", status)) {
        auto before = readCampaign(campaign.folder);
        if (!before) {
            return before;
        }
        if (before->id != campaign.id) {
            return fail(
                ErrorId::BatchBadCampaign,
                "It holds other work, of other frames or with other options; choose another "
                "folder, or remove it where that work is no longer wanted.",
                campaign.folder.string());
        }
        before->program = program;
        return before;
    }
    for (const char* inside : {"pieces", "attempts", "arrays", "log"}) {
        if (auto made = makeFolder(campaign.folder / inside); !made) {
            return fail(made.error());
        }
    }
    json list = json::array();
    for (const Piece& piece : campaign.pieces) {
        list.push_back(toJson(piece));
    }
    const json document{{"version", kVersion},
                        {"id", campaign.id},
                        {"kind", kind},
                        {"program", program.string()},
                        {"start", start.string()},
                        {"pieces", std::move(list)}};
    if (auto written = writeWholeText(campaign.folder / "campaign.json", document.dump(1) + "\n");
        !written) {
        return fail(written.error());
    }
    return campaign;
}

Result<Campaign> readCampaign(const fs::path& folder) {
    const fs::path path = fs::absolute(folder) / "campaign.json";
    const auto text = readWholeFile(path);
    if (!text) {
        return fail(ErrorId::BatchBadCampaign,
                    "There is no work here; give the folder that --work named.",
                    folder.string());
    }
    try {
        const json document = json::parse(*text);
        if (document.at("version").get<int>() != kVersion) {
            return fail(ErrorId::BatchBadCampaign,
                        "It was written by another version of the program; go on with that one.",
                        path.string());
        }
        Campaign campaign;
        campaign.id = document.at("id").get<std::string>();
        campaign.kind = document.at("kind").get<std::string>();
        campaign.program = document.at("program").get<std::string>();
        campaign.start = document.at("start").get<std::string>();
        campaign.folder = fs::absolute(folder);
        for (const json& entry : document.at("pieces")) {
            campaign.pieces.push_back(pieceFrom(entry));
        }
        if (auto fault = faultOf(campaign.pieces)) {
            return fail(*fault);
        }
        return campaign;
    } catch (const json::exception& error) {
        return fail(ErrorId::BatchBadCampaign,
                    std::string("It is damaged: ") + error.what(),
                    path.string());
    }
}

std::optional<PieceResult> resultOf(const Campaign& campaign, const std::string& piece) {
    const fs::path folder = campaign.resultsOf(piece);
    const auto text = readWholeFile(folder / kSidecar);
    if (!text) {
        return std::nullopt;
    }
    try {
        const json document = json::parse(*text);
        PieceResult result;
        result.piece = document.at("piece").get<std::string>();
        result.status = document.at("status").get<int>();
        result.cost = costFrom(document.at("cost"));
        result.machine = document.at("machine").get<std::string>();
        result.answer = document.at("answer").get<std::string>();
        result.digests = document.at("files").get<std::map<std::string, std::string>>();
        return result.piece == piece ? std::optional(std::move(result)) : std::nullopt;
    } catch (const json::exception&) {
        return std::nullopt; // it is done again
    }
}

bool isIntact(const Campaign& campaign, const PieceResult& result) {
    const fs::path folder = campaign.resultsOf(result.piece);
    for (const auto& [file, digest] : result.digests) {
        const auto own = contentHash(folder / file);
        if (!own || *own != digest) {
            return false;
        }
    }
    return true;
}

Result<bool> publish(const Campaign& campaign, PieceResult result, const fs::path& made) {
    const fs::path target = campaign.resultsOf(result.piece);
    std::error_code status;
    if (fs::exists(target / kSidecar, status)) {
        return false;
    }
    const fs::path passing = campaign.folder / "pieces" /
                             fmt::format(".{}.{}.{}.tmp", result.piece, result.machine, ::getpid());
    fs::remove_all(passing, status);
    const auto giveUp = [&](Error error) {
        std::error_code ignored;
        fs::remove_all(passing, ignored);
        return fail(std::move(error));
    };
    if (auto folder = makeFolder(passing); !folder) {
        return folder;
    }
    for (const std::string& file : filesBelow(made)) {
        if (file == kSidecar) {
            continue; // of the piece that this one went on from
        }
        if (auto above = makeFolder((passing / file).parent_path()); !above) {
            return giveUp(above.error());
        }
        auto digest = copyFile(made / file, passing / file);
        if (!digest) {
            return giveUp(digest.error());
        }
        result.digests[file] = std::move(*digest);
    }
    const json document{{"piece", result.piece},
                        {"status", result.status},
                        {"cost", toJson(result.cost)},
                        {"machine", result.machine},
                        {"answer", result.answer},
                        {"files", result.digests}};
    if (auto written = writeWholeText(passing / kSidecar, document.dump(1) + "\n"); !written) {
        return giveUp(written.error());
    }
    if (auto renamed = renameFolder(passing, target); !renamed) {
        // Somebody else's results came first, and count.
        const bool isThere = fs::exists(target / kSidecar, status);
        fs::remove_all(passing, status);
        return isThere ? Result<bool>(false) : renamed;
    }
    return true;
}

std::set<std::string> publishedPieces(const Campaign& campaign) {
    std::set<std::string> pieces;
    std::error_code status;
    for (auto at = fs::directory_iterator(campaign.folder / "pieces", status);
         !status && at != fs::directory_iterator();
         at.increment(status)) {
        std::string name = at->path().filename().string();
        if (name.front() != '.') {
            pieces.insert(std::move(name));
        }
    }
    return pieces;
}

Result<bool>
noteAttempt(const Campaign& campaign, const std::string& piece, const Attempt& attempt) {
    const json document{{"words", attempt.words},
                        {"machine", attempt.machine},
                        {"final", attempt.isFinal},
                        {"cost", toJson(attempt.cost)}};
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    const auto moment = std::chrono::duration_cast<std::chrono::microseconds>(now).count();
    return writeWholeText(
        campaign.folder / "attempts" /
            fmt::format("{}.{:020}.{}.{}.json", piece, moment, attempt.machine, ::getpid()),
        document.dump(1) + "\n");
}

std::map<std::string, std::vector<Attempt>> attemptsOf(const Campaign& campaign,
                                                       std::set<std::string>& known) {
    std::set<std::string> files;
    std::error_code status;
    for (auto at = fs::directory_iterator(campaign.folder / "attempts", status);
         !status && at != fs::directory_iterator();
         at.increment(status)) {
        std::string name = at->path().filename().string();
        if (name.front() != '.' && !known.contains(name)) {
            files.insert(std::move(name));
        }
    }
    std::map<std::string, std::vector<Attempt>> attempts;
    for (const std::string& name : files) {
        auto& list = attempts[name.substr(0, name.find('.'))];
        try {
            const json document = json::parse(
                readWholeFile(campaign.folder / "attempts" / name).value_or(std::string()));
            list.push_back({document.at("words").get<std::string>(),
                            document.at("machine").get<std::string>(),
                            document.at("final").get<bool>(),
                            costFrom(document.at("cost"))});
        } catch (const json::exception&) {
            list.push_back({"What went wrong is not readable.", {}, false, {}});
        }
        known.insert(name);
    }
    return attempts;
}

} // namespace pathmark::batch
