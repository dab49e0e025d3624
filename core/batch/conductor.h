#pragma once

#include "core/base/job.h"
#include "core/batch/engine.h"

#include <chrono>
#include <functional>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace pathmark::batch {

/// How a campaign stands.
struct CampaignState {
    std::vector<std::string> done;
    std::vector<std::string> failed; ///< given up
    std::size_t atWork = 0;          ///< waiting at the engine or being done
    std::size_t waiting = 0;         ///< not handed over
    int attempts = 0;                ///< that went wrong
    Cost cost;                       ///< of what is done, the memory that of the largest
};

/// What the shared folder says; who is at work is asked of the engine where there is one.
CampaignState stateOf(const Campaign& campaign, const std::set<std::string>& atWork);

struct ConductSettings {
    std::chrono::milliseconds pause{2000}; ///< from one look to the next
    int mostAttempts = 4;                  ///< of one piece
    std::chrono::seconds patience{3600};   ///< with an engine that does not answer
    std::function<void(const std::string&)> onDone =
        {}; ///< may be empty; told of each piece that is done, while others are at work
};

/// Hands pieces to the engine until all are done or given up. A piece that is neither at work nor done when it is looked for twice
/// was lost, and is handed over again; one that went wrong is asked more memory and time for. What was done before, here or elsewhere, is
/// not done again.
///
/// Errors   base.cancelled   asked to stop: what the engine has goes on there
///          batch.no_engine  it does not answer for too long; base.*
Result<CampaignState>
conduct(const Campaign& campaign, Engine& engine, const ConductSettings& settings, const Job& job);

/// What pieces of a kind took so far: like ones alone tell of each other, those of the same verb that need as many others.
class MeasuredCosts {
  public:
    void add(const Piece& piece, const Cost& cost);

    /// What is asked for a piece after so many attempts that went wrong: what was measured, with something to spare, where enough of its
    /// kind are done, else what it was cut for; twice as much after each attempt.
    [[nodiscard]] Asked askedFor(const Piece& piece, std::size_t attempts) const;

  private:
    struct Kind {
        std::size_t pieces = 0;
        double memoryMegabytes = 0.0;     ///< the most
        double secondsForMegapixel = 0.0; ///< the slowest
    };

    static std::string kindOf(const Piece& piece);

    std::map<std::string, Kind> kinds_;
};

} // namespace pathmark::batch
