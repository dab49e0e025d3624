#include "command/console.h"
#include "command/temporary_folder.h"
#include "core/batch/engine.h"
#include "core/batch/run_piece.h"

#include <CLI/CLI.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct PieceArguments {
    std::string work;
    std::string list;
    std::size_t place = 0;
};

int piece(const PieceArguments& a) {
    const auto campaign = batch::readCampaign(a.work);
    const auto id = batch::pieceAt(a.list, a.place);
    if (!campaign || !id) {
        Console::complain(campaign ? id.error() : campaign.error());
        return kSomeFailed;
    }
    const batch::Piece* found = campaign->find(*id);
    if (found == nullptr) {
        Console::complain({ErrorId::BatchBadCampaign, "There is no such piece.", *id});
        return kSomeFailed;
    }
    const auto folder = TemporaryFolder::make();
    if (!folder) {
        Console::complain(folder.error());
        return kSomeFailed;
    }
    const auto outcome = batch::runPiece(*campaign, *found, folder->path(), Console().job().stop);
    if (!outcome) {
        Console::complain(outcome.error());
        return kSomeFailed;
    }
    return *outcome == batch::PieceOutcome::Done || *outcome == batch::PieceOutcome::DoneThen
               ? kDone
               : kSomeFailed;
}

} // namespace

void addPieceVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<PieceArguments>();
    CLI::App* verb = program.add_subcommand("piece", "Do one piece of a batch");
    verb->group(""); // for engines
    verb->add_option("work", a->work, "Folder of the pieces")->required();
    verb->add_option("--list", a->list, "Names of pieces")->required();
    verb->add_option("--at", a->place, "Which of them, from 0")->required();
    verb->final_callback([a, &chosen] { chosen = [a] { return piece(*a); }; });
}

} // namespace pathmark::command
