#include "command/night_words.h"

namespace pathmark::command {

Result<night::FrameId> frameNamed(std::span<const frame::FrameInfo> frames,
                                  const std::string& word) {
    std::vector<night::FrameId> found;
    for (const auto& info : frames) {
        const bool byId = word.size() >= 6 && info.id.text().starts_with(word);
        if (byId || info.path == word || info.path.filename() == word ||
            frame::frameStem(info.path) == word) {
            found.push_back(info.id);
        }
    }
    if (found.size() == 1 && found.front().isKnown()) {
        return found.front();
    }
    return fail(ErrorId::NightUnknownId,
                found.empty() ? "No frame of this night has that name or id; see 'pathmark decide "
                                "NIGHT --history' and summary.json."
                              : "More than one frame of this night has that name; give its id or "
                                "its whole path.",
                word);
}

Result<std::vector<std::string>> measurementsNamed(std::span<const night::MeasurementRecord> all,
                                                   const std::string& word) {
    std::vector<std::string> ids;
    const auto body = orbit::BodyId::of(word);
    for (const auto& m : all) {
        if (m.seen && (m.body == body || (word.size() >= 6 && m.id.starts_with(word)))) {
            ids.push_back(m.id);
        }
    }
    if (ids.empty()) {
        return fail(ErrorId::NightUnknownId,
                    "No measurement of this night has that id, and no measured body that name; "
                    "see the column 'id' of measurements.csv.",
                    word);
    }
    return ids;
}

} // namespace pathmark::command
