#include "core/base/expects.h"
#include "core/night/steps/clean_up.h"
#include "core/night/steps/frame_steps.h"
#include "core/night/steps/identify_step.h"
#include "core/night/steps/link_step.h"
#include "core/night/steps/masters_step.h"
#include "core/night/steps/measure_step.h"
#include "core/night/steps/picture_step.h"
#include "core/night/steps/report_step.h"
#include "core/night/steps/step.h"
#include "core/night/steps/sweep_step.h"

#include <fmt/format.h>

#include <algorithm>
#include <string_view>

namespace pathmark::night {
namespace {

using enum ProductKind;

Result<bool> masters(NightRun& run) {
    return mastersStep(run.calibration);
}

const std::vector<Step>& wholeNightSteps() {
    static const std::vector<Step> all{
        {"masters", 7, "sorts the frames and builds masters", {}, {Master, Noise}, masters},
        {"identify",
         2,
         "predicts the known bodies and matches them with sources",
         {Sources, Solution, ZeroPoint},
         {Matches},
         identifyStep},
        {"link",
         3,
         "links what moves and is no known body",
         {Sources, Solution, ZeroPoint, Matches},
         {Tracks},
         linkStep},
        {"plan",
         1,
         "decides what is measured on frames, and what on stacks",
         {Matches, Tracks},
         {},
         planStep},
        {"stack",
         9,
         "adds frames on the motion",
         {Calibrated, Solution, ZeroPoint},
         {Stack},
         stackStep},
        {"sweep",
         1,
         "searches along every motion that is asked for",
         {Calibrated, Solution, ZeroPoint, Matches, Tracks},
         {Sweep, Stack},
         sweepStep},
        {"measure",
         15,
         "measures the bodies",
         {Calibrated, Sources, Solution, ZeroPoint, Matches, Tracks, Stack},
         {Measurements},
         measureStep},
        {"report", 1, "writes the reports", {Measurements}, {Report}, reportStep},
        // Last: nobody waits for it.
        {"picture",
         3,
         "joins pictures of comets",
         {Calibrated, Solution, Measurements},
         {Picture},
         pictureStep},
    };
    return all;
}

/// The steps on the night as a whole, those on single frames behind the masters.
std::vector<Step> makeTable() {
    std::vector<Step> all = wholeNightSteps();
    std::vector<Step> onFrames;
    for (const FrameStep& step : frameSteps()) {
        onFrames.push_back(
            {step.name, step.version, step.words, step.takes, {step.makes}, nullptr});
    }
    all.insert(all.begin() + 1, onFrames.begin(), onFrames.end());
    return all;
}

const std::vector<Step>& table() {
    static const std::vector<Step> all = makeTable();
    return all;
}

std::string wordsOf(const std::vector<ProductKind>& kinds) {
    std::string words;
    for (const ProductKind kind : kinds) {
        words += (words.empty() ? "" : ", ") + std::string(infoOf(kind).words);
    }
    return words.empty() ? "nothing" : words;
}

} // namespace

std::span<const Step> steps() {
    return table();
}

int versionOf(const char* step) {
    const auto& all = table();
    const auto known = std::find_if(
        all.begin(), all.end(), [&](const Step& s) { return std::string_view(s.name) == step; });
    PATHMARK_EXPECTS(known != all.end());
    return known->version;
}

Result<bool> runSteps(NightRun& run, const std::function<void()>& onMarked) {
    bool framesDone = false;
    for (const Step& step : steps()) {
        if (run.isStopped()) {
            return stopped();
        }
        if (step.run == nullptr && framesDone) {
            continue;
        }
        // The steps on single frames stand together and are done together.
        framesDone = framesDone || step.run == nullptr;
        if (auto done = step.run == nullptr ? lightsStep(run) : step.run(run); !done) {
            return done;
        }
        const NightPart::End end = run.calibration.part.end;
        if ((end == NightPart::End::Masters && std::string_view(step.name) == "masters") ||
            (end == NightPart::End::Frames && step.run == nullptr)) {
            return true;
        }
        if (onMarked && std::string_view(step.name) == "link") {
            onMarked();
        }
    }
    return cleanUp(run);
}

std::string explainSteps(const NightFile& file) {
    std::string text;
    for (const Step& step : steps()) {
        text += fmt::format("{:<11} {}; takes {}, makes {}\n",
                            step.name,
                            step.words,
                            wordsOf(step.takes),
                            wordsOf(step.makes));
        for (const ProductKind kind : step.makes) {
            const auto products = file.products(kind);
            if (products && !products->empty()) {
                const char* folder = infoOf(kind).folder;
                text += fmt::format("            {} {} stored, in {}\n",
                                    products->size(),
                                    infoOf(kind).words,
                                    *folder == '\0' ? "the night file" : folder);
            }
        }
    }
    return text;
}

} // namespace pathmark::night
