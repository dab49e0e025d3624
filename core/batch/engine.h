#pragma once

#include "core/batch/campaign.h"

#include <set>
#include <string>
#include <vector>

namespace pathmark::batch {

/// Pieces that are handed over together. The list of their names stands in a file of the shared folder.
struct PieceArray {
    std::filesystem::path list;
    std::vector<std::string> pieces;
    Asked asked;                    ///< for each
    std::vector<std::string> after; ///< jobs that end before these begin, however they end
};

/// Who does pieces.
class Engine {
  public:
    Engine() = default;
    virtual ~Engine() = default;
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    /// Hands an array over and returns its job's name.
    ///
    /// Errors   batch.no_engine  it does not answer, or refuses
    virtual Result<std::string> submit(const PieceArray& array) = 0;

    /// The pieces that are waiting or being done now, all of this campaign.
    ///
    /// Errors   batch.no_engine  it does not answer: nothing is known
    virtual Result<std::set<std::string>> atWork() = 0;

    /// Whether it waits for `after`: else pieces are handed over once what they need is there.
    [[nodiscard]] virtual bool isOrdered() const = 0;

    /// Takes back all that is handed over of this campaign.
    virtual Result<bool> cancel() = 0;
};

/// The verb's words by which the program does the piece of a place in a list of an array.
std::vector<std::string>
pieceWords(const Campaign& campaign, const std::filesystem::path& list, const std::string& place);

/// The piece at a place of a list, as the verb finds it.
///
/// Errors   batch.bad_campaign
Result<std::string> pieceAt(const std::filesystem::path& list, std::size_t place);

} // namespace pathmark::batch
