#include "command/light_series.h"
#include "command/made_stacks.h"
#include "command/stack_wishes.h"
#include "core/base/atomic_file.h"
#include "core/night/motion_stack.h"
#include "core/night/product.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/results_folder.h"
#include "core/night/work_folder.h"
#include "core/stack/coma_extent.h"
#include "core/stack/layers.h"
#include "core/stack/still_sky.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

/// A series ready to be added.
class StackRun {
  public:
    StackRun(const StackArguments& a, const Wishes& wishes, std::vector<night::StackLight> lights)
        : a_(a), wishes_(wishes), lights_(std::move(lights)) {}

    /// Makes all stacks; the JSON of what there is.
    Result<nlohmann::json> make();

  private:
    Result<bool> prepare();
    Result<bool> takeOutStars();
    [[nodiscard]] Result<std::vector<stack::Layer>> layers() const;
    [[nodiscard]] std::string keyOf(const stack::Layer& layer) const;
    Result<nlohmann::json> makeMissing(const std::vector<stack::Layer>& planned, MadeStacks& made);
    Result<nlohmann::json> makeLayer(const stack::Layer& layer, std::size_t group, std::size_t of);
    [[nodiscard]] std::filesystem::path pathOf(std::size_t group, std::size_t of) const;
    Result<nlohmann::json> pathJson() const;

    const StackArguments& a_;
    Wishes wishes_;
    std::vector<night::StackLight> lights_;
    Motion motion_;
    std::unique_ptr<night::WorkFolder> work_;
    std::vector<stack::StackFrame> frames_; ///< as they stand on the sky
};

Result<bool> StackRun::prepare() {
    if (lights_.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    auto motion = motionOf(a_.motion, lights_, night::middleOf(lights_), a_.console.job());
    if (!motion) {
        return fail(motion.error());
    }
    motion_ = std::move(*motion);
    frames_ = night::stackFramesOf(lights_, 0);
    for (std::size_t i = 0; i < lights_.size() && motion_.moves; ++i) {
        frames_[i].isDiffuse = motion_.isComet;
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
    work_ = std::make_unique<night::WorkFolder>(std::filesystem::path(a_.out) / ".still-sky");
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
    const auto sizes = night::sizesOf(lights_);
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

Result<nlohmann::json>
StackRun::makeLayer(const stack::Layer& layer, std::size_t group, std::size_t of) {
    a_.console.job().progress("Stacking", static_cast<int>(group), static_cast<int>(of));
    const auto made = night::makeMotionStack(layer,
                                             {lights_, motion_.object, motion_.moves, motion_.at},
                                             wishes_.options,
                                             a_.console.job());
    if (!made) {
        return fail(made.error());
    }
    const auto path = pathOf(group, of);
    if (auto written = writeStack(path, made->stack, made->header); !written) {
        return fail(written.error());
    }
    const auto pixel = frame::toFits(layer.grid.wcs.referencePixel);
    const double fwhm = made->fwhmArcsec;
    const nlohmann::json entry{
        {"file", path.string()},
        {"group", group + 1},
        {"frames", made->stack.frames},
        {"mid_time", toIso(layer.middle)},
        {"exposure_seconds", made->exposureSeconds},
        {"ra", layer.target.longitude.degrees()},
        {"dec", layer.target.latitude.degrees()},
        {"x", pixel.x},
        {"y", pixel.y},
        {"noise_e", made->stack.noise},
        {"fwhm_arcsec", fwhm > 0.0 ? nlohmann::json(fwhm) : nlohmann::json()},
        {"zero_point", finite(made->zeroPoint)},
        {"limiting_mag", finite(made->limitingMagnitude)},
        {"clipped_share", made->stack.clippedShare}};
    a_.console.say(fmt::format("{}: {} frames, {:.2f} e noise, {:.2f} % of the values left out",
                               path.string(),
                               made->stack.frames,
                               made->stack.noise,
                               100.0 * made->stack.clippedShare));
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
    const auto planned = layers();
    if (!planned) {
        return fail(planned.error());
    }
    auto path = pathJson();
    if (!path) {
        return fail(path.error());
    }
    MadeStacks made(a_.out);
    auto stacks = makeMissing(*planned, made);
    if (!stacks) {
        return fail(stacks.error());
    }
    return nlohmann::json{{"stacks", *stacks}, {"path", *path}};
}

Result<std::vector<stack::Layer>> StackRun::layers() const {
    const auto sizes = night::sizesOf(lights_);
    return stack::layersOf({frames_, sizes, motion_.at}, a_.groups, wishes_.canvas);
}

/// Makes those that a call before this one, or one that was broken off, has not made already.
Result<nlohmann::json> StackRun::makeMissing(const std::vector<stack::Layer>& planned,
                                             MadeStacks& made) {
    std::vector<std::string> keys;
    std::vector<std::optional<nlohmann::json>> told;
    for (std::size_t i = 0; i < planned.size(); ++i) {
        keys.push_back(keyOf(planned[i]));
        told.push_back(made.find(pathOf(i, planned.size()), keys.back()));
    }
    auto used = planned;
    if (a_.stillSky && std::count(told.begin(), told.end(), std::nullopt) > 0) {
        if (auto taken = takeOutStars(); !taken) {
            return fail(taken.error());
        }
        auto again = layers(); // of frames whose noise is another now
        if (!again) {
            return fail(again.error());
        }
        used = std::move(*again);
    }
    nlohmann::json stacks = nlohmann::json::array();
    for (std::size_t i = 0; i < used.size(); ++i) {
        const auto path = pathOf(i, used.size());
        if (told[i]) {
            a_.console.say(path.string() + ": is there already");
        } else {
            auto entry = makeLayer(used[i], i, used.size());
            if (!entry) {
                return fail(entry.error());
            }
            if (auto kept = made.add(path, keys[i], *entry); !kept) {
                return fail(kept.error());
            }
            told[i] = std::move(*entry);
        }
        stacks.push_back(*told[i]);
    }
    return stacks;
}

/// Of everything that a stack is made from.
std::string StackRun::keyOf(const stack::Layer& layer) const {
    constexpr int version = 1;
    const combine::CombineRule& rule = wishes_.options.rule;
    night::ProductKey key("stack of files", version);
    key.settings(fmt::format("{} {} {} {} {} {} {} {} {}",
                             name(rule.combination),
                             rule.clip,
                             rule.share,
                             rule.byMedianDeviation,
                             name(wishes_.options.resampling.kernel),
                             wishes_.options.resampling.drop,
                             wishes_.options.maps,
                             a_.stillSky,
                             motion_.object))
        .settings(fmt::format("{} {} {}",
                              night::record_json::write(layer.grid.wcs).dump(),
                              layer.grid.width,
                              layer.grid.height))
        .settings(fmt::format("{} {} {}",
                              lights_.front().zeroPoint.value_or(0.0),
                              lights_.front().band,
                              lights_.front().electronsPerUnit));
    for (std::size_t i = 0; i < frames_.size(); ++i) {
        const bool isMember =
            std::find(layer.members.begin(), layer.members.end(), i) != layer.members.end();
        if (!isMember && !a_.stillSky && i != 0) {
            continue; // the first is the reference of all, and a still sky is told from all
        }
        const stack::StackFrame& frame = frames_[i];
        key.input(isMember ? "frame" : "beside it",
                  fmt::format("{} {}", frame.path.string(), stampOf(frame.path)))
            .input("place", night::record_json::write(frame.place.wcs).dump())
            .input("light",
                   fmt::format("{} {} {} {} {}",
                               toIso(frame.middle, 6),
                               frame.noise,
                               frame.fluxScale,
                               frame.fwhm,
                               frame.saturation));
        for (const auto& disc : frame.protect) {
            key.input("coma", fmt::format("{} {} {}", disc.centre.x, disc.centre.y, disc.radius));
        }
        if (const auto target = motion_.at(frame.middle)) {
            key.input("target", night::record_json::write(*target).dump());
        }
    }
    return key.hex();
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
    auto lights = readLights(a.console, *input, a.wcsFolder);
    StackRun run(a, *wishes, std::move(lights.lights));
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
    addCanvasOptions(*verb, a->canvas);
    verb->add_option("--kernel", a->kernel, "cubic or lanczos3");
    verb->add_option(
        "--drop", a->drop, "Shrink pixels to this side before they fall onto the canvas, 0 to 1");
    verb->add_flag("--still-sky", a->stillSky, "Take out what does not move before adding");
    verb->add_flag("--maps", a->maps, "Add maps of what was clipped");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return stackAll(*a); }; });
}

} // namespace pathmark::command
