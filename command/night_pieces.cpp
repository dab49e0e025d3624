#include "command/night_pieces.h"

#include "core/base/atomic_file.h"
#include "core/base/copy_files.h"
#include "core/base/whole_file.h"
#include "core/frame/folder_scan.h"
#include "core/night/night_file.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <set>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;

/// So many frames of a night are one piece unless it is said otherwise: some minutes of work.
constexpr int kPieceFrames = 64;
/// Verbs that go through a night and write nothing but what "{out}" names.
constexpr std::array kVerbs{
    "run", "sweep", "photometry", "detect", "solve", "identify", "measure", "calibrate"};

/// A name for the results of each night: that of its folder, numbered where two are called the same.
std::string nameOf(const fs::path& folder, std::set<std::string>& taken) {
    std::string word;
    for (const char c : fs::absolute(folder).lexically_normal().filename().string()) {
        word += std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '-' ? c : '_';
    }
    word = word.empty() ? "night" : word.substr(0, 80);
    std::string name = word;
    for (int k = 2; !taken.insert(name).second; ++k) {
        name = fmt::format("{}-{}", word, k);
    }
    return name;
}

/// The files of a piece in another folder. On the same disk they are the same files under another name: nothing writes into one, results are
/// replaced whole. A night file is written to, and is copied.
Result<bool>
bringFiles(const batch::PieceResult& result, const fs::path& from, const fs::path& to) {
    for (const auto& [file, digest] : result.digests) {
        const fs::path target = to / file;
        if (auto made = makeFolder(target.parent_path()); !made) {
            return made;
        }
        std::error_code status;
        if (target.extension() != ".pmnight") {
            fs::create_hard_link(from / file, target, status);
            if (!status) {
                continue;
            }
        }
        const auto copied = copyFile(from / file, target);
        if (!copied) {
            return fail(copied.error());
        }
        if (*copied != digest) {
            return fail(
                ErrorId::BatchPieceFailed,
                "It changed after it was made; remove its folder and go on: it is done again.",
                (from / file).string());
        }
    }
    const auto sidecar = copyFile(from / "piece.json", to / "piece.json");
    return sidecar ? Result<bool>(true) : fail(sidecar.error());
}

class NightCutter {
  public:
    NightCutter(const std::vector<std::string>& words, const BatchOptions& options, int threads)
        : words_(words), options_(options), threads_(std::max(1, threads)) {}

    /// The pieces of one night; its last one is the night's.
    std::vector<batch::Piece>
    cut(const fs::path& folder, const std::string& name, const std::vector<fs::path>& frames) {
        const auto most = static_cast<std::size_t>(options_.pieceFrames > 0 ? options_.pieceFrames
                                                                            : kPieceFrames);
        const double size = megapixelsOf(frames);
        const double frame = size / static_cast<double>(frames.size());
        const auto piece = [&](const std::string& what,
                               double share,
                               std::vector<std::string> more,
                               std::vector<std::string> needs) {
            batch::Piece one;
            one.id = name + what;
            one.words = wordsFor(folder);
            one.words.insert(one.words.end(), more.begin(), more.end());
            one.needs = std::move(needs);
            one.size = share * size;
            one.asked = expectedFor(one.size, frame);
            return one;
        };
        if (words_.front() != "run" || frames.size() <= most) {
            return {piece("", 1.0, {}, {})};
        }
        std::vector<batch::Piece> pieces{piece("-masters", 0.2, {"--part", "masters"}, {})};
        const std::string masters = pieces.front().id;
        const std::vector<std::string> from{"--from", "{piece:" + masters + "}"};
        std::vector<std::string> rest = from;
        std::vector<std::string> needs{masters};
        for (std::size_t first = 0; first < frames.size(); first += most) {
            const std::size_t count = std::min(most, frames.size() - first);
            std::vector<std::string> more{"--part", fmt::format("{}:{}", first, count)};
            more.insert(more.end(), from.begin(), from.end());
            pieces.push_back(piece(fmt::format("-frames-{:04}", first / most),
                                   static_cast<double>(count) / static_cast<double>(frames.size()),
                                   std::move(more),
                                   {masters}));
            needs.push_back(pieces.back().id);
            rest.insert(rest.end(), {"--from", "{piece:" + pieces.back().id + "}"});
        }
        pieces.push_back(piece("", 1.0, std::move(rest), std::move(needs)));
        return pieces;
    }

  private:
    [[nodiscard]] std::vector<std::string> wordsFor(const fs::path& folder) const {
        const std::string night = fs::absolute(folder).lexically_normal().string();
        std::vector<std::string> all{words_.front(), night};
        for (auto word = words_.begin() + 1; word != words_.end(); ++word) {
            all.push_back(batch::filledIn(*word, "{night}", night));
        }
        if (words_.front() == "run" || words_.front() == "calibrate") {
            all.insert(all.end(), {"--out", "{out}"});
        }
        all.insert(all.end(), {"--json", "--quiet", "--threads", std::to_string(threads_)});
        return all;
    }

    const std::vector<std::string>& words_;
    const BatchOptions& options_;
    int threads_;
};

} // namespace

Result<std::vector<batch::Piece>> cutNights(const std::vector<fs::path>& folders,
                                            const std::vector<std::string>& words,
                                            const BatchOptions& options,
                                            int threads,
                                            std::vector<NightPieces>& nights) {
    if (words.empty() || std::none_of(kVerbs.begin(), kVerbs.end(), [&](const char* verb) {
            return words.front() == verb;
        })) {
        return fail(ErrorId::CommandWrongUse,
                    "--do takes a command that goes through one night, as \"run --recipe FILE\": "
                    "run, sweep, "
                    "photometry, detect, solve, identify, measure or calibrate.");
    }
    NightCutter cutter(words, options, threads);
    std::vector<batch::Piece> pieces;
    std::set<std::string> taken;
    for (const fs::path& folder : folders) {
        const auto list = frame::listFrames(std::span(&folder, 1));
        if (list.files.empty()) {
            return fail(ErrorId::FrameNoFrames,
                        "It holds no frame; each place is the folder of one night.",
                        folder.string());
        }
        NightPieces night{folder, nameOf(folder, taken), {}};
        auto own = cutter.cut(folder, night.name, list.files);
        night.last = own.back().id;
        std::move(own.begin(), own.end(), std::back_inserter(pieces));
        nights.push_back(std::move(night));
    }
    return pieces;
}

Result<bool>
collectNight(const batch::Campaign& campaign, const NightPieces& night, const fs::path& out) {
    const fs::path target = out / night.name;
    const fs::path made = campaign.resultsOf(night.last);
    std::error_code status;
    if (fs::exists(target, status)) {
        // The observer may have gone on with them since; the sidecar tells whose they are.
        const auto there = readWholeFile(target / "piece.json");
        return there && there == readWholeFile(made / "piece.json")
                   ? Result<bool>(true)
                   : fail(ErrorId::BaseCannotWrite,
                          "Other results are there already; nothing of them is touched. Choose "
                          "another "
                          "folder.",
                          target.string());
    }
    const auto result = batch::resultOf(campaign, night.last);
    if (!result) {
        return fail(ErrorId::BatchPieceFailed, "Its results are no longer there.", made.string());
    }
    const fs::path passing = out / fmt::format(".{}.{}.tmp", night.name, ::getpid());
    fs::remove_all(passing, status);
    if (auto brought = bringFiles(*result, made, passing); !brought) {
        fs::remove_all(passing, status);
        return brought;
    }
    const bool isRun = fs::exists(passing / "night.pmnight", status);
    if (!isRun && !result->answer.empty()) {
        if (auto written = writeWholeText(passing / "answer.json", result->answer); !written) {
            return written;
        }
    }
    if (auto renamed = renameFolder(passing, target); !renamed || !isRun) {
        return renamed;
    }
    // Made in a folder that is gone: from now on it lies here.
    auto file = night::NightFile::open(target / "night.pmnight");
    return file ? file->setPlaces(night::NightPlaces::of(night.folder, target, {}), file->recipe())
                : fail(file.error());
}

} // namespace pathmark::command
