#include "core/batch/conductor.h"

#include "core/base/atomic_file.h"
#include "core/base/pause.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace pathmark::batch {
namespace {

namespace fs = std::filesystem;

/// More in one array than engines take by default, and a controller is busy with it.
constexpr std::size_t kMostInArray = 500;
/// Of what is asked for a piece, before it is tried anew.
constexpr std::size_t kMostDoublings = 3;
/// Measured ones tell from so many on.
constexpr std::size_t kTelling = 5;
constexpr double kMemorySpare = 1.5;
constexpr double kTimeSpare = 4.0;
constexpr double kLeastSeconds = 300.0;
constexpr double kLeastMegabytes = 500.0;

/// Sizes that an engine is asked for: few different ones, so that arrays are long.
double roundedUp(double value, double least) {
    double rounded = least;
    while (rounded < value) {
        rounded *= 1.5;
    }
    return std::ceil(rounded);
}

bool isGivenUp(const std::vector<Attempt>& attempts, int mostAttempts) {
    return static_cast<int>(attempts.size()) >= mostAttempts ||
           std::any_of(
               attempts.begin(), attempts.end(), [](const Attempt& a) { return a.isFinal; });
}

class Conductor {
  public:
    Conductor(const Campaign& campaign,
              Engine& engine,
              const ConductSettings& settings,
              const Job& job)
        : campaign_(campaign), engine_(engine), settings_(settings), job_(job) {
        for (const Piece& piece : campaign.pieces) {
            byId_.emplace(piece.id, &piece);
            open_.insert(piece.id);
        }
        // What went wrong before may have been mended since: it gives up nothing, but what was too little then is too little now.
        for (const auto& [piece, attempts] : attemptsOf(campaign, readAttempts_)) {
            attemptsBefore_[piece] = std::min(attempts.size(), kMostDoublings);
        }
    }

    Result<CampaignState> untilDone();

  private:
    Result<bool> look();
    Result<bool> handOver();
    Result<bool> noteLosses();
    [[nodiscard]] bool isHopeless(const Piece& piece) const;
    Result<std::vector<std::string>> submit(const std::vector<const Piece*>& pieces,
                                            const std::vector<std::string>& after);
    [[nodiscard]] bool isReady(const Piece& piece) const;
    [[nodiscard]] std::size_t levelOf(const Piece& piece) const;

    const Campaign& campaign_;
    Engine& engine_;
    const ConductSettings& settings_;
    const Job& job_;
    std::map<std::string, const Piece*> byId_;
    std::set<std::string> open_; ///< neither done nor given up
    std::set<std::string> done_;
    std::set<std::string> failed_;
    std::vector<std::string> justDone_;
    MeasuredCosts costs_;
    std::set<std::string> readAttempts_;
    std::map<std::string, std::vector<Attempt>> attempts_; ///< since it was begun
    std::map<std::string, std::size_t> attemptsBefore_;
    std::set<std::string> atWork_;
    std::map<std::string, int> missed_; ///< looks at which a piece was neither done nor at work
    std::set<std::string> handedOver_;
    int arrays_ = 0;
};

/// What there is in the shared folder, and who is at work.
Result<bool> Conductor::look() {
    auto atWork = engine_.atWork();
    if (!atWork) {
        return fail(atWork.error());
    }
    atWork_ = std::move(*atWork);
    for (auto& [piece, fresh] : attemptsOf(campaign_, readAttempts_)) {
        auto& all = attempts_[piece];
        all.insert(all.end(), fresh.begin(), fresh.end());
        handedOver_.erase(piece); // whoever had it has it no longer
    }
    for (const std::string& id : publishedPieces(campaign_)) {
        if (!open_.contains(id)) {
            continue;
        }
        if (const auto result = resultOf(campaign_, id)) {
            costs_.add(*byId_.at(id), result->cost);
            done_.insert(id);
            open_.erase(id);
            justDone_.push_back(id);
        }
    }
    for (const Piece& piece : campaign_.pieces) {
        if (open_.contains(piece.id) && !atWork_.contains(piece.id)) {
            ++missed_[piece.id];
            if (isHopeless(piece)) {
                failed_.insert(piece.id);
                open_.erase(piece.id);
            }
        } else {
            missed_[piece.id] = 0;
        }
    }
    return noteLosses();
}

bool Conductor::isHopeless(const Piece& piece) const {
    const auto attempts = attempts_.find(piece.id);
    return (attempts != attempts_.end() && isGivenUp(attempts->second, settings_.mostAttempts)) ||
           std::any_of(piece.needs.begin(), piece.needs.end(), [&](const std::string& need) {
               return failed_.contains(need);
           });
}

/// What was at work a moment ago may be done, and not be seen yet; at the next look it was lost.
Result<bool> Conductor::noteLosses() {
    for (const std::string& id : open_) {
        if (!handedOver_.contains(id) || missed_[id] < 2) {
            continue;
        }
        if (!isReady(*byId_.at(id))) {
            handedOver_.erase(id); // it came too early, and only said so
            continue;
        }
        const Attempt lost{
            "It was lost: its machine went, it was taken back, or it took more memory or "
            "time than was asked for.",
            "conductor"};
        if (auto noted = noteAttempt(campaign_, id, lost); !noted) {
            return noted;
        }
    }
    return true;
}

bool Conductor::isReady(const Piece& piece) const {
    return std::all_of(piece.needs.begin(), piece.needs.end(), [&](const std::string& need) {
        return done_.contains(need);
    });
}

/// How many pieces stand one behind the other before this one.
std::size_t Conductor::levelOf(const Piece& piece) const {
    std::size_t level = 0;
    for (const std::string& need : piece.needs) {
        if (!done_.contains(need)) {
            level = std::max(level, levelOf(*byId_.at(need)) + 1);
        }
    }
    return level;
}

/// What is open and with nobody, in arrays of pieces that ask for the same; of an ordered engine those too that wait for others.
Result<bool> Conductor::handOver() {
    std::map<std::size_t, std::vector<const Piece*>> levels;
    const bool takesAll = engine_.isOrdered() && handedOver_.empty();
    for (const Piece& piece : campaign_.pieces) {
        const bool isFree = open_.contains(piece.id) && !atWork_.contains(piece.id) &&
                            !handedOver_.contains(piece.id);
        if (isFree && (takesAll || isReady(piece))) {
            levels[levelOf(piece)].push_back(&piece);
        }
    }
    std::vector<std::string> after;
    for (const auto& [level, pieces] : levels) {
        auto jobs = submit(pieces, after);
        if (!jobs) {
            return fail(jobs.error());
        }
        after = std::move(*jobs);
    }
    for (const auto& [level, pieces] : levels) {
        for (const Piece* piece : pieces) {
            handedOver_.insert(piece->id);
            missed_[piece->id] = 0;
        }
    }
    return true;
}

Result<std::vector<std::string>> Conductor::submit(const std::vector<const Piece*>& pieces,
                                                   const std::vector<std::string>& after) {
    std::map<std::pair<double, double>, std::vector<std::string>> alike;
    for (const Piece* piece : pieces) {
        const Asked asked =
            costs_.askedFor(*piece, attemptsBefore_[piece->id] + attempts_[piece->id].size());
        alike[{asked.memoryMegabytes, asked.seconds}].push_back(piece->id);
    }
    std::vector<std::string> jobs;
    for (const auto& [asked, ids] : alike) {
        for (std::size_t first = 0; first < ids.size(); first += kMostInArray) {
            PieceArray array;
            array.asked = {asked.first, asked.second};
            array.after = after;
            array.pieces.assign(ids.begin() + static_cast<std::ptrdiff_t>(first),
                                ids.begin() + static_cast<std::ptrdiff_t>(
                                                  std::min(ids.size(), first + kMostInArray)));
            std::string text;
            for (const std::string& id : array.pieces) {
                text += id + "\n";
            }
            std::error_code ignored;
            do {
                array.list = campaign_.folder / "arrays" / fmt::format("{}.txt", ++arrays_);
            } while (fs::exists(array.list, ignored));
            if (auto written = writeWholeText(array.list, text); !written) {
                return fail(written.error());
            }
            auto job = engine_.submit(array);
            if (!job) {
                return fail(job.error());
            }
            jobs.push_back(std::move(*job));
        }
    }
    return jobs;
}

Result<CampaignState> Conductor::untilDone() {
    auto silentSince = std::optional<std::chrono::steady_clock::time_point>();
    while (true) {
        auto done = look();
        if (done) {
            done = handOver(); // before anything else: an engine that waits is time lost
        }
        if (done) {
            for (const std::string& piece : std::exchange(justDone_, {})) {
                if (settings_.onDone) {
                    settings_.onDone(piece);
                }
            }
            const std::size_t closed = done_.size() + failed_.size();
            job_.progress(
                "Pieces", static_cast<int>(closed), static_cast<int>(campaign_.pieces.size()));
            if (closed == campaign_.pieces.size()) {
                return stateOf(campaign_, atWork_);
            }
        }
        if (!done && done.error().id != ErrorId::BatchNoEngine) {
            return fail(done.error());
        }
        const auto now = std::chrono::steady_clock::now();
        if (done) {
            silentSince.reset();
        } else if (!silentSince) {
            silentSince = now;
            job_.message(toMessage(done.error()) + " It is asked again.");
        } else if (now - *silentSince > settings_.patience) {
            return fail(done.error());
        }
        if (!pauseFor(settings_.pause, job_.stop)) {
            return fail(
                ErrorId::BaseCancelled,
                "Stopped looking; what the engine has goes on there. Give the same command to go "
                "on, or 'pathmark batch' with the folder to ask or to stop it.",
                campaign_.folder.string());
        }
    }
}

} // namespace

CampaignState stateOf(const Campaign& campaign, const std::set<std::string>& atWork) {
    CampaignState state;
    const ConductSettings usual;
    std::set<std::string> none;
    const auto attempts = attemptsOf(campaign, none);
    const auto published = publishedPieces(campaign);
    std::set<std::string> failed;
    for (const Piece& piece : campaign.pieces) {
        const auto own = attempts.find(piece.id);
        state.attempts += own == attempts.end() ? 0 : static_cast<int>(own->second.size());
        const auto result =
            published.contains(piece.id) ? resultOf(campaign, piece.id) : std::nullopt;
        const bool isLost =
            (own != attempts.end() && isGivenUp(own->second, usual.mostAttempts)) ||
            std::any_of(piece.needs.begin(), piece.needs.end(), [&](const std::string& need) {
                return failed.contains(need);
            });
        if (result) {
            state.done.push_back(piece.id);
            state.cost.seconds += result->cost.seconds;
            state.cost.processorSeconds += result->cost.processorSeconds;
            state.cost.memoryMegabytes =
                std::max(state.cost.memoryMegabytes, result->cost.memoryMegabytes);
        } else if (atWork.contains(piece.id)) {
            ++state.atWork;
        } else if (isLost) {
            failed.insert(piece.id);
            state.failed.push_back(piece.id);
        } else {
            ++state.waiting;
        }
    }
    return state;
}

std::string MeasuredCosts::kindOf(const Piece& piece) {
    return fmt::format("{} {}", piece.words.front(), std::min<std::size_t>(piece.needs.size(), 2));
}

void MeasuredCosts::add(const Piece& piece, const Cost& cost) {
    if (piece.size <= 0.0) {
        return;
    }
    Kind& kind = kinds_[kindOf(piece)];
    ++kind.pieces;
    kind.memoryMegabytes = std::max(kind.memoryMegabytes, cost.memoryMegabytes);
    kind.secondsForMegapixel = std::max(kind.secondsForMegapixel, cost.seconds / piece.size);
}

Asked MeasuredCosts::askedFor(const Piece& piece, std::size_t attempts) const {
    Asked asked = piece.asked;
    const auto kind = kinds_.find(kindOf(piece));
    if (kind != kinds_.end() && kind->second.pieces >= kTelling) {
        asked.memoryMegabytes = kMemorySpare * kind->second.memoryMegabytes;
        asked.seconds = kTimeSpare * piece.size * kind->second.secondsForMegapixel;
    }
    const double more = std::pow(2.0, static_cast<double>(attempts));
    return {roundedUp(asked.memoryMegabytes * more, kLeastMegabytes),
            roundedUp(asked.seconds * more, kLeastSeconds)};
}

Result<CampaignState>
conduct(const Campaign& campaign, Engine& engine, const ConductSettings& settings, const Job& job) {
    return Conductor(campaign, engine, settings, job).untilDone();
}

} // namespace pathmark::batch
