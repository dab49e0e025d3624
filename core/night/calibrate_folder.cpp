#include "core/night/calibrate_folder.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/detect/detect.h"
#include "core/frame/folder_scan.h"
#include "core/night/context.h"
#include "core/night/results_folder.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using json = nlohmann::json;

constexpr std::size_t kAtOnce =
    4;                          ///< frames in memory: while two wait for the disk two are worked on
constexpr int kLookedAt = 1400; ///< pixels a side of the middle that tells a frame's quality

json toJson(const CalibratedFile& file) {
    return json{{"fwhm", file.fwhmPixels},
                {"sky", file.skyElectrons},
                {"noise", file.noiseElectrons},
                {"sources", file.sources},
                {"defects", file.defects},
                {"hits", file.hits}};
}

void fromJson(const std::string& text, CalibratedFile& file) {
    const json j = json::parse(text);
    file.fwhmPixels = j.at("fwhm").get<double>();
    file.skyElectrons = j.at("sky").get<double>();
    file.noiseElectrons = j.at("noise").get<double>();
    file.sources = j.at("sources").get<int>();
    file.defects = j.at("defects").get<int>();
    file.hits = j.at("hits").get<int>();
}

/// The middle of a large frame: enough to tell sky, noise and the width of its stars.
struct Middle {
    frame::PixelPos origin; ///< of its first pixel on the frame
    frame::Image image;

    explicit Middle(const frame::Image& whole)
        : image(std::min(kLookedAt, whole.width()), std::min(kLookedAt, whole.height())) {
        const int x0 = (whole.width() - image.width()) / 2;
        const int y0 = (whole.height() - image.height()) / 2;
        origin = {static_cast<double>(x0), static_cast<double>(y0)};
        for (int y = 0; y < image.height(); ++y) {
            const auto from = whole.row(y0 + y).subspan(static_cast<std::size_t>(x0),
                                                        static_cast<std::size_t>(image.width()));
            std::copy(from.begin(), from.end(), image.row(y).begin());
        }
    }
};

struct Outcome {
    std::optional<CalibratedFile> file;
    std::optional<Error> error;
};

Outcome process(const CalibrationContext& context,
                const Series& series,
                const LoadedCalibration& loaded,
                const frame::FrameInfo& info,
                const fs::path& target,
                const std::string& key) {
    auto frame = calibrateLight(context, series, loaded, info);
    if (!frame) {
        return {std::nullopt, frame.error()};
    }
    CalibratedFile file;
    file.raw = info.path;
    file.calibrated = target;
    file.defects = frame->defects;
    detect::DetectOptions options;
    options.saturation = frame->saturationElectrons;
    const Middle middle(frame->image);
    if (auto found = detect::detectSources(middle.image, options)) {
        if (context.settings.masksHits) {
            file.hits = maskHits(*frame, *found, middle.origin);
        }
        file.fwhmPixels = found->fwhm;
        file.skyElectrons = found->sky.typicalLevel();
        file.noiseElectrons = found->sky.typicalNoise();
        file.sources = static_cast<int>(found->sources.size());
    }
    if (auto written = writeCalibrated(*frame, info, target, key); !written) {
        return {std::nullopt, written.error()};
    }
    return {file, std::nullopt};
}

/// Calibrates the lights of one series that are not there yet.
Result<std::vector<CalibratedFile>> calibrateLights(CalibrationContext& context,
                                                    const Series& series,
                                                    const std::map<fs::path, fs::path>& targets) {
    std::vector<std::optional<CalibratedFile>> files(series.lights.frames.size());
    std::vector<std::string> keys(files.size());
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const auto& info = series.lights.frames[i];
        auto content = context.file.fileDigest(info.path);
        if (!content) {
            context.failures.push_back(content.error());
            continue;
        }
        keys[i] = Digest()
                      .add("calibrated")
                      .add(*content)
                      .add(series.calibration.digest)
                      .add(targets.at(info.path).string())
                      .hex();
        if (const auto product = context.file.product(keys[i])) {
            CalibratedFile known;
            known.raw = info.path;
            known.calibrated = product->path;
            fromJson(product->info, known);
            files[i] = known;
        } else {
            open.push_back(i);
        }
    }
    if (!open.empty()) {
        const auto loaded = loadCalibration(context, series);
        if (!loaded) {
            return fail(loaded.error());
        }
        for (std::size_t start = 0; start < open.size(); start += kAtOnce) {
            if (context.job.stop.stop_requested()) {
                return fail(ErrorId::BaseCancelled, "Stopped; finished frames are kept.");
            }
            context.job.progress("Calibrating " + series.lights.title(),
                                 static_cast<int>(start),
                                 static_cast<int>(open.size()));
            const std::size_t count = std::min(kAtOnce, open.size() - start);
            std::vector<Outcome> outcomes(count);
            overlapFor(count, kAtOnce, [&](std::size_t k) {
                const std::size_t i = open[start + k];
                const auto& info = series.lights.frames[i];
                outcomes[k] =
                    process(context, series, *loaded, info, targets.at(info.path), keys[i]);
            });
            for (std::size_t k = 0; k < count; ++k) {
                const std::size_t i = open[start + k];
                if (outcomes[k].error) {
                    if (stopsTheNight(*outcomes[k].error)) {
                        return fail(*outcomes[k].error);
                    }
                    context.failures.push_back(*outcomes[k].error);
                    continue;
                }
                files[i] = outcomes[k].file;
                if (auto stored = context.file.putProduct(
                        {keys[i], "calibrated", files[i]->calibrated, toJson(*files[i]).dump()});
                    !stored) {
                    return fail(stored.error());
                }
            }
        }
    }
    std::vector<CalibratedFile> done;
    for (auto& file : files) {
        if (file) {
            done.push_back(std::move(*file));
        }
    }
    return done;
}

} // namespace

Result<CalibratedFolder> calibrateFolder(const CalibrateOptions& options, const Job& job) {
    auto scan = frame::scanFolder(wholePath(options.folder), job, options.rules);
    if (!scan) {
        return fail(scan.error());
    }
    auto file = openResults(options.out, {});
    if (!file) {
        return fail(file.error());
    }
    if (auto made = makeFolder(options.out / "calibrated"); !made) {
        return fail(made.error());
    }
    CalibratedFolder result;
    result.failures = scan->failures;
    CalibrationContext context{
        fs::absolute(options.out), options.settings, *file, job, result.failures};
    auto series = calibrateStep(context, scan->frames);
    if (!series) {
        Error error = series.error();
        error.subject = error.subject.empty() ? options.folder.string() : error.subject;
        return fail(std::move(error));
    }
    const auto targets = calibratedPaths(context.out, *series);
    for (Series& one : *series) {
        auto files = calibrateLights(context, one, targets);
        if (!files) {
            return fail(files.error());
        }
        result.series.push_back({one.lights,
                                 one.calibration.match,
                                 one.calibration.noise,
                                 one.calibration.darkScale,
                                 one.calibration.withoutFlats,
                                 std::move(*files)});
    }
    result.groups = series->front().night->groups;
    return result;
}

} // namespace pathmark::night
