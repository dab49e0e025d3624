#include "command/stack_wishes.h"
#include "core/base/atomic_file.h"
#include "core/detect/detect.h"
#include "core/night/results_folder.h"
#include "core/stack/coma_extent.h"
#include "core/stack/layers.h"
#include "core/stack/stack_header.h"
#include "core/stack/still_sky.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <memory>
#include <numbers>

namespace pathmark::command {
namespace {

/// The lights of a series, in the order of time.
struct Lights {
    std::vector<night::StackLight> lights;
    std::vector<Error> failures;
};

Lights readLights(const StackArguments& a, const FrameInput& input) {
    Lights read;
    read.failures = input.list.failures;
    const Job job = a.console.job();
    int done = 0;
    for (const auto& path : input.list.files) {
        if (job.stop.stop_requested()) {
            break;
        }
        job.progress("Reading frames", done++, static_cast<int>(input.list.files.size()));
        auto light = night::readStackLight(path, a.wcsFolder, input.rules);
        if (light) {
            read.lights.push_back(std::move(*light));
        } else {
            Error error = light.error();
            error.subject = error.subject.empty() ? path.string() : error.subject;
            read.failures.push_back(std::move(error));
        }
    }
    std::stable_sort(read.lights.begin(), read.lights.end(), [](const auto& x, const auto& y) {
        return x.middle < y.middle;
    });
    return read;
}

/// The middle of all frames on the sky.
SkyPos centreOf(const std::vector<night::StackLight>& lights) {
    Vec3 sum{};
    for (const auto& light : lights) {
        const frame::PixelPos middle{0.5 * (light.info.width - 1), 0.5 * (light.info.height - 1)};
        sum = sum + light.place.wcs.toSky(middle).vector();
    }
    return SkyPos::fromVector(sum);
}

std::vector<stack::FramePixels> sizesOf(const std::vector<night::StackLight>& lights) {
    std::vector<stack::FramePixels> sizes;
    for (const auto& light : lights) {
        sizes.push_back({light.info.width, light.info.height});
    }
    return sizes;
}

double meanBeta(const std::vector<night::StackLight>& lights) {
    double sum = 0.0;
    for (const auto& light : lights) {
        sum += light.beta;
    }
    return sum / static_cast<double>(lights.size());
}

/// A folder of work that goes when it is done with.
class WorkFolder {
  public:
    explicit WorkFolder(std::filesystem::path path) : path_(std::move(path)) {}

    ~WorkFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }

    WorkFolder(const WorkFolder&) = delete;
    WorkFolder& operator=(const WorkFolder&) = delete;

    [[nodiscard]] const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

/// A series ready to be added.
class StackRun {
  public:
    StackRun(const StackArguments& a, Wishes wishes, std::vector<night::StackLight> lights)
        : a_(a), wishes_(std::move(wishes)), lights_(std::move(lights)) {}

    /// Makes all stacks; the JSON of what there is.
    Result<nlohmann::json> make();

  private:
    Result<bool> prepare();
    Result<bool> takeOutStars();
    Result<nlohmann::json> makeLayer(const stack::Layer& layer, std::size_t group, std::size_t of);
    [[nodiscard]] std::filesystem::path pathOf(std::size_t group, std::size_t of) const;
    [[nodiscard]] double fwhmArcsec(const stack::Stack& made, const stack::Layer& layer) const;
    Result<nlohmann::json> pathJson() const;

    const StackArguments& a_;
    Wishes wishes_;
    std::vector<night::StackLight> lights_;
    Motion motion_;
    std::unique_ptr<WorkFolder> work_;
    std::vector<stack::StackFrame> frames_; ///< as they stand on the sky
};

Result<bool> StackRun::prepare() {
    if (lights_.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    auto motion = motionOf(a_.motion, lights_, centreOf(lights_), a_.console.job());
    if (!motion) {
        return fail(motion.error());
    }
    motion_ = std::move(*motion);
    frames_ = night::stackFramesOf(lights_, 0);
    for (std::size_t i = 0; i < lights_.size() && motion_.moves; ++i) {
        const auto there = motion_.at(lights_[i].middle);
        if (!there) {
            return fail(there.error());
        }
        const auto pixel = lights_[i].place.wcs.toPixel(*there);
        if (!pixel) {
            continue;
        }
        // Under a rolling shutter a body is exposed when its row is.
        frames_[i].middle = lights_[i].middle.plusSeconds(lights_[i].info.rowSeconds * pixel->y);
        if (motion_.isComet) {
            if (auto done = stack::protectComa(frames_[i], *pixel, lights_[i].fwhmPixels); !done) {
                return done;
            }
        }
    }
    return true;
}

/// Goes on with frames without the unmoving sky; they lie beside the stacks until these are made.
Result<bool> StackRun::takeOutStars() {
    work_ = std::make_unique<WorkFolder>(std::filesystem::path(a_.out) / ".still-sky");
    if (auto made = makeFolder(work_->path()); !made) {
        return made;
    }
    std::vector<SkyPos> targets;
    for (const auto& frame : frames_) {
        auto target = motion_.at(frame.middle);
        if (!target) {
            return fail(target.error());
        }
        targets.push_back(*target);
    }
    const auto sizes = sizesOf(lights_);
    auto taken = stack::takeOutStillSky({frames_, sizes, targets}, work_->path(), a_.console.job());
    if (!taken) {
        return fail(taken.error());
    }
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        if (taken->mismatch[i] < 0.0) {
            a_.console.say(
                frames_[i].path.string() +
                ": too few stars to bring the unmoving sky to its seeing; left as it is.");
        }
    }
    frames_ = std::move(taken->frames);
    return true;
}

std::filesystem::path StackRun::pathOf(std::size_t group, std::size_t of) const {
    const std::string word = night::fileWord(a_.motion.rateArcsecPerMin ? "rate" : motion_.object);
    return std::filesystem::path(a_.out) /
           (of == 1 ? word + ".fits" : fmt::format("{}_{}.fits", word, group + 1));
}

/// Of the stars on a stack of stars; on a body the stars of its frames, at their best.
double StackRun::fwhmArcsec(const stack::Stack& made, const stack::Layer& layer) const {
    if (!motion_.moves) {
        detect::DetectOptions options;
        options.looksAgain = false;
        if (const auto detection = detect::detectSources(made.image, options)) {
            return detection->fwhm * layer.grid.wcs.scaleArcsec();
        }
    }
    double squares = 0.0;
    double weights = 0.0;
    for (const auto& frame : layer.frames) {
        squares += weightOf(frame) * frame.fwhm * frame.fwhm;
        weights += weightOf(frame);
    }
    return std::sqrt(squares / weights);
}

/// The magnitude of a star of 5 sigma: a matched filter sees the noise of 4 pi sigma^2 pixels.
///
/// Source   King 1983, PASP 95, 163.
double limitOf(const stack::Stack& made, double fwhmPixels, double zeroPoint, double exposure) {
    const double sigma = fwhmPixels / (2.0 * std::sqrt(2.0 * std::numbers::ln2));
    const double flux = 5.0 * made.noise * 2.0 * std::sqrt(std::numbers::pi) * sigma;
    return zeroPoint - 2.5 * std::log10(flux / exposure);
}

Result<nlohmann::json>
StackRun::makeLayer(const stack::Layer& layer, std::size_t group, std::size_t of) {
    a_.console.job().progress("Stacking", static_cast<int>(group), static_cast<int>(of));
    auto made = stack::stackFrames(layer.frames, layer.grid, wishes_.options, a_.console.job());
    if (!made) {
        return fail(made.error());
    }
    const night::StackLight& reference = lights_.front();
    stack::StackTitle title;
    title.object = motion_.object;
    title.exposureSeconds = reference.info.exposureSeconds;
    title.filter = reference.info.filter;
    title.band = reference.band;
    for (const std::size_t i : layer.members) {
        title.added.push_back(lights_[i].info.path.filename().string());
    }
    if (reference.zeroPoint) {
        title.zeroPoint = *reference.zeroPoint + 2.5 * std::log10(reference.electronsPerUnit);
    }
    const double fwhm = fwhmArcsec(*made, layer);
    title.beta = meanBeta(lights_);
    title.fwhmPixels = fwhm / layer.grid.wcs.scaleArcsec();
    if (motion_.moves && fwhm > 0.0) {
        const double own = fwhm / reference.scaleArcsec();
        title.fwhmPixels /= std::sqrt(stack::peakFactor(wishes_.options.resampling.kernel,
                                                        detect::Moffat::round(own, title.beta)));
        const auto later = motion_.at(layer.middle.plusSeconds(60.0));
        if (!later) {
            return fail(later.error());
        }
        const PlanePos way = toTangentPlane(layer.target, *later);
        title.rateArcsecPerMin = std::hypot(way.xi, way.eta) / kRadiansPerArcsec;
        title.angleDegrees = normalised(Angle::radians(std::atan2(way.xi, way.eta))).degrees();
    }
    const auto path = pathOf(group, of);
    const auto header = headerOf(layer.frames, *made, wishes_.options, layer.grid.wcs, title);
    if (auto written = writeStack(path, *made, header); !written) {
        return fail(written.error());
    }
    double exposure = 0.0;
    for (const std::size_t i : layer.members) {
        exposure += lights_[i].info.exposureSeconds;
    }
    const auto pixel = frame::toFits(layer.grid.wcs.referencePixel);
    nlohmann::json entry{{"file", path.string()},
                         {"group", group + 1},
                         {"frames", made->frames},
                         {"mid_time", toIso(layer.middle)},
                         {"exposure_seconds", exposure},
                         {"ra", layer.target.longitude.degrees()},
                         {"dec", layer.target.latitude.degrees()},
                         {"x", pixel.x},
                         {"y", pixel.y},
                         {"noise_e", made->noise},
                         {"fwhm_arcsec", fwhm > 0.0 ? nlohmann::json(fwhm) : nlohmann::json()},
                         {"zero_point", finite(title.zeroPoint)},
                         {"limiting_mag", nullptr},
                         {"clipped_share", made->clippedShare}};
    if (title.zeroPoint && title.exposureSeconds > 0.0 && fwhm > 0.0) {
        entry["limiting_mag"] = finite(limitOf(
            *made, fwhm / layer.grid.wcs.scaleArcsec(), *title.zeroPoint, title.exposureSeconds));
    }
    a_.console.say(fmt::format("{}: {} frames, {:.2f} e noise, {:.2f} % of the values left out",
                               path.string(),
                               made->frames,
                               made->noise,
                               100.0 * made->clippedShare));
    return entry;
}

Result<nlohmann::json> StackRun::pathJson() const {
    nlohmann::json path = nlohmann::json::array();
    for (std::size_t i = 0; i < lights_.size(); ++i) {
        const auto there = motion_.at(frames_[i].middle);
        if (!there) {
            return fail(there.error());
        }
        nlohmann::json row{{"file", lights_[i].info.path.string()},
                           {"mid_time", toIso(frames_[i].middle)},
                           {"x", nullptr},
                           {"y", nullptr},
                           {"ra", there->longitude.degrees()},
                           {"dec", there->latitude.degrees()},
                           {"found", false},
                           {"offset_arcsec", nullptr}};
        if (const auto pixel = lights_[i].place.wcs.toPixel(*there)) {
            row["x"] = frame::toFits(*pixel).x;
            row["y"] = frame::toFits(*pixel).y;
        }
        if (i < motion_.points.size() && motion_.points[i].found) {
            row["found"] = true;
            row["offset_arcsec"] = motion_.points[i].offsetArcsec;
        }
        path.push_back(std::move(row));
    }
    return path;
}

Result<nlohmann::json> StackRun::make() {
    if (auto ready = prepare(); !ready) {
        return fail(ready.error());
    }
    if (auto made = makeFolder(a_.out); !made) {
        return fail(made.error());
    }
    if (a_.stillSky) {
        if (auto taken = takeOutStars(); !taken) {
            return fail(taken.error());
        }
    }
    const auto sizes = sizesOf(lights_);
    auto layers = stack::layersOf({frames_, sizes, motion_.at}, a_.groups, wishes_.canvas);
    if (!layers) {
        return fail(layers.error());
    }
    nlohmann::json stacks = nlohmann::json::array();
    for (std::size_t i = 0; i < layers->size(); ++i) {
        auto entry = makeLayer((*layers)[i], i, layers->size());
        if (!entry) {
            return fail(entry.error());
        }
        stacks.push_back(std::move(*entry));
    }
    auto path = pathJson();
    if (!path) {
        return fail(path.error());
    }
    return nlohmann::json{{"stacks", stacks}, {"path", *path}};
}

int stackAll(const StackArguments& a) {
    const auto start = std::chrono::steady_clock::now();
    auto wishes = wishesOf(a);
    if (!wishes) {
        Console::complain(wishes.error());
        return kWrongUse;
    }
    const auto input = framesOf(a.input);
    if (!input) {
        Console::complain(input.error());
        return kWrongUse;
    }
    Lights lights = readLights(a, *input);
    StackRun run(a, std::move(*wishes), std::move(lights.lights));
    auto document = run.make();
    if (!document) {
        for (const Error& error : lights.failures) {
            Console::complain(error);
        }
        Console::complain(document.error());
        return kSomeFailed;
    }
    const std::chrono::duration<double> seconds = std::chrono::steady_clock::now() - start;
    (*document)["seconds"] = seconds.count();
    return endWith(a.console, std::move(*document), lights.failures);
}

} // namespace

void addStackVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<StackArguments>();
    CLI::App* verb =
        program.add_subcommand("stack", "Add solved frames on the stars or on a motion");
    addFrameArguments(*verb, a->input);
    addMotionOptions(*verb, a->motion);
    verb->add_option("--wcs", a->wcsFolder, "Folder of .wcs files");
    verb->add_option("--out", a->out, "Folder for the stacks")->required();
    verb->add_option("--groups", a->groups, "Stacks in time");
    verb->add_option("--combination",
                     a->combination,
                     "How the values of a pixel become one: " + combine::combinationNames());
    verb->add_option("--canvas", a->canvas, "union, common or body");
    verb->add_option("--crop", a->crop, "RA and Dec in degrees, width and height in arcmin")
        ->expected(4);
    verb->add_flag("--north-up", a->northUp, "North up and east to the left");
    verb->add_option("--scale", a->scale, "Side of a pixel, in pixels of the first frame");
    verb->add_option("--kernel", a->kernel, "cubic or lanczos3");
    verb->add_option(
        "--drop", a->drop, "Shrink pixels to this side before they fall onto the canvas, 0 to 1");
    verb->add_flag("--still-sky", a->stillSky, "Take out what does not move before adding");
    verb->add_flag("--maps", a->maps, "Add maps of what was clipped");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return stackAll(*a); }; });
}

} // namespace pathmark::command
