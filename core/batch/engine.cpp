#include "core/batch/engine.h"

#include "core/base/whole_file.h"

#include <sstream>

namespace pathmark::batch {

std::vector<std::string>
pieceWords(const Campaign& campaign, const std::filesystem::path& list, const std::string& place) {
    return {campaign.program.string(),
            "piece",
            campaign.folder.string(),
            "--list",
            list.string(),
            "--at",
            place};
}

Result<std::string> pieceAt(const std::filesystem::path& list, std::size_t place) {
    std::istringstream lines(readWholeFile(list).value_or(""));
    std::string line;
    for (std::size_t k = 0; std::getline(lines, line); ++k) {
        if (k == place) {
            return line;
        }
    }
    return fail(ErrorId::BatchBadCampaign, "It has no such piece.", list.string());
}

} // namespace pathmark::batch
