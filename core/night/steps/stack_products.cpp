#include "core/night/steps/stack_products.h"

#include "core/base/hash.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/recorded_frames.h"
#include "core/night/results_folder.h"
#include "core/night/steps/night_run.h"
#include "core/night/steps/step.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

std::string inWords(const std::vector<stack::LeftOutDisc>& discs) {
    std::string text;
    for (const stack::LeftOutDisc& disc : discs) {
        text += fmt::format("{:.2f} {:.2f} {:.2f};", disc.centre.x, disc.centre.y, disc.radius);
    }
    return text;
}

} // namespace

std::vector<stack::StackFrame> inputsOf(const std::vector<LightRecord>& lights,
                                        const std::vector<std::size_t>& chosen) {
    std::vector<const LightRecord*> taken;
    taken.reserve(chosen.size());
    for (const std::size_t index : chosen) {
        taken.push_back(&lights[index]);
    }
    return recordedFrames(taken);
}

ProductKey stackKey(const char* kind,
                    const stack::PixelGrid& grid,
                    const std::vector<stack::StackFrame>& inputs,
                    const std::vector<LightRecord>& lights,
                    const std::vector<std::size_t>& chosen) {
    ProductKey key("stack", versionOf("stack"));
    key.input("on", kind)
        .input(
            "grid",
            fmt::format("{} {} {}", record_json::write(grid.wcs).dump(), grid.width, grid.height));
    for (std::size_t i = 0; i < inputs.size(); ++i) {
        const LightRecord& light = lights[chosen[i]];
        key.input("calibrated", light.keys.calibrated)
            .input("sources", light.keys.sources)
            .input("solution", light.keys.solution)
            .input("zero point", light.keys.zeroPoint)
            .input("time", toIso(inputs[i].middle, 6))
            .input("scale", fmt::format("{}", inputs[i].fluxScale))
            .input("shift",
                   fmt::format("{} {}", inputs[i].place.shift.xi, inputs[i].place.shift.eta))
            .input("left out", inWords(inputs[i].leftOut));
    }
    return key;
}

stack::StackTitle titleOf(const LightRecord& example,
                          const StarStack& stars,
                          const std::string& what,
                          const std::string& key) {
    stack::StackTitle title;
    title.object = what;
    title.exposureSeconds = example.exposureSeconds;
    title.filter = example.filter;
    title.placeErrorPixels = stars.solutionErrorPixels;
    title.key = key;
    if (example.photometry) {
        title.zeroPoint = example.photometry->zeroPoint;
        title.band = catalog::name(example.photometry->band);
    }
    return title;
}

fs::path
stackPath(const NightRun& run, const std::string& what, const std::vector<std::size_t>& chosen) {
    const LightRecord& first = run.lights[chosen.front()];
    Digest digest;
    for (const std::size_t index : chosen) {
        digest.add(run.lights[index].frame.text());
    }
    std::string time = toIso(first.middle, 0).substr(0, 16); // yyyy-mm-ddThh:mm
    std::erase_if(time, [](char c) { return c == '-' || c == ':'; });
    const std::string filter = fileWord(first.filter);
    return run.calibration.out / infoOf(ProductKind::Stack).folder /
           fmt::format("{}{}_{}_{}_{}.fits",
                       what,
                       filter.empty() ? "" : "_" + filter,
                       time,
                       chosen.size(),
                       digest.hex().substr(0, 6));
}

Result<bool> storeStack(NightRun& run,
                        const stack::Stack& made,
                        const frame::Header& header,
                        const fs::path& path,
                        Product product) {
    if (run.isStopped()) {
        return stopped();
    }
    if (auto written = stack::writeStack(path, made, header); !written) {
        return written;
    }
    product.kind = ProductKind::Stack;
    product.path = path;
    return run.file().putProducts(std::span(&product, 1));
}

} // namespace pathmark::night
