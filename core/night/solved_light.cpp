#include "core/night/solved_light.h"

#include "core/frame/open_frame.h"
#include "core/identify/solved_frame.h"

#include <algorithm>
#include <array>

namespace pathmark::night {

Result<SolvedLight> readSolvedLight(const std::filesystem::path& file,
                                    const std::filesystem::path& wcsFolder,
                                    const frame::ReadingRules& rules) {
    auto loaded = frame::readFrame(file);
    if (!loaded) {
        return fail(loaded.error());
    }
    SolvedLight light;
    light.loaded = std::move(*loaded);
    frame::Header& header = light.loaded.header;
    light.info = frame::describeFrame(
        file, light.loaded.image.width(), light.loaded.image.height(), header, rules);
    if (!light.info.bayerPattern.empty()) {
        return fail(ErrorId::FrameBadWcs,
                    "This is the mosaic of a colour camera as it was read out; calibrate it first.",
                    file.string());
    }
    auto wcs = identify::solutionOf(file, header, wcsFolder);
    if (!wcs) {
        return fail(wcs.error());
    }
    const auto solved = identify::solvedFrame(light.info, *wcs, {});
    if (!solved) {
        return fail(solved.error());
    }
    light.wcs = solved->wcs;
    light.wcs.referencePixel.x += header.number(frame::kLeanXKeyword).value_or(0.0);
    light.wcs.referencePixel.y += header.number(frame::kLeanYKeyword).value_or(0.0);
    light.middle = solved->middle;
    if (header.text("BUNIT").value_or("") != "electron") {
        light.electronsPerUnit = light.info.electronsPerAdu.value_or(1.0);
    }
    constexpr std::array words{"PMZEROPT", frame::kSolutionErrorKeyword};
    const auto isMissing = [&](const char* word) { return !header.number(word); };
    if (std::any_of(words.begin(), words.end(), isMissing)) {
        const auto beside = identify::solutionBeside(file, wcsFolder);
        for (const char* word : words) {
            if (beside && isMissing(word) && beside->number(word)) {
                header.set(word, *beside->number(word), beside->find(word)->comment);
            }
        }
    }
    return light;
}

std::optional<StatedZeroPoint> zeroPointOf(const frame::Header& header) {
    const frame::Card* card = header.find("PMZEROPT");
    const auto value = header.number("PMZEROPT");
    if (card == nullptr || !value) {
        return std::nullopt;
    }
    // "[mag] of 1 e/s, band V"
    const auto at = card->comment.rfind("band ");
    return StatedZeroPoint{*value,
                           at == std::string::npos ? std::string() : card->comment.substr(at + 5)};
}

} // namespace pathmark::night
