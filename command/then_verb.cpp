#include "command/console.h"
#include "command/frame_input.h"
#include "command/open_night.h"
#include "command/sky_options.h"
#include "core/frame/fits_file.h"
#include "core/night/recipe.h"
#include "core/night/then_difference.h"
#include "core/night/then_picture.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

struct ThenArguments {
    Console console;
    std::string nightFile;
    std::string frame;
    std::string survey;
    std::string image;
    std::string otherNight;
    std::string otherFrame;
    std::vector<double> near;
    double radiusArcmin = 5.0;
    std::string out;
    std::string difference;
    bool isOffline = false;
};

/// The light that is named by its file, or the first that is solved and used.
Result<night::LightRecord> lightOf(const night::NightFile& night, const std::string& name) {
    const auto lights = night.lights();
    if (!lights) {
        return fail(lights.error());
    }
    for (const night::LightRecord& light : *lights) {
        const bool isMeant =
            name.empty() ? light.leftOutBy.empty()
                         : light.raw.filename() == name || frame::frameStem(light.raw) == name;
        if (isMeant && light.solved()) {
            return light;
        }
    }
    return fail(ErrorId::NightUnknownId,
                name.empty() ? "No light of this night is solved."
                             : "No solved light of this night has that name.",
                name);
}

json jsonOf(const night::DifferingLight& light) {
    const auto pixel = frame::toFits(light.pixel);
    return {{"new", light.isNew},
            {"ra", light.sky.longitude.degrees()},
            {"dec", light.sky.latitude.degrees()},
            {"x", pixel.x},
            {"y", pixel.y},
            {"snr", light.snr},
            {"mag", light.magnitude ? json(*light.magnitude) : json()},
            {"over_limit", light.overLimit},
            {"known_as", light.known.empty() ? json() : json(light.known)}};
}

/// The catalogue of the night's recipe, where it can be read.
std::optional<catalog::StarStore> starsOf(const night::NightFile& night) {
    const auto recipe = night::readRecipe(night.recipe());
    if (!recipe || recipe->ownStars) {
        return std::nullopt;
    }
    auto store = catalog::StarStore::open(recipe->catalogStore, recipe->catalogName);
    return store ? std::optional(std::move(*store)) : std::nullopt;
}

Result<bool>
writePicture(const std::string& path, const night::LightRecord& light, const frame::Image& image) {
    frame::Header header;
    writeWcs(*light.wcs, header);
    return frame::writeFits(path, image, header);
}

int showThen(const ThenArguments& a) {
    int status = kDone;
    const auto night = openNight(a.nightFile, status);
    if (!night) {
        return status;
    }
    const auto refuse = [](const Error& error) {
        Console::complain(error);
        return error.id == ErrorId::NightUnknownId ? kWrongUse : kSomeFailed;
    };
    const auto light = lightOf(*night, a.frame);
    if (!light) {
        return refuse(light.error());
    }
    night::ThenSource source{a.survey, a.image, {}, {}, a.isOffline};
    std::optional<night::NightFile> other;
    if (!a.otherNight.empty()) {
        other = openNight(a.otherNight, status);
        if (!other) {
            return status;
        }
        const auto then =
            a.otherFrame.empty() ? night::lightAt(*other, *light) : lightOf(*other, a.otherFrame);
        if (!then) {
            return refuse(then.error());
        }
        source.light = *then;
    }
    const auto stars = starsOf(*night);
    const auto* store = stars ? &*stars : nullptr;
    const auto then = night::thenPicture(*light, source, store, a.console.job());
    if (!then) {
        return refuse(then.error());
    }
    auto lights = night::compareThen(*night, *light, *then, store);
    if (!lights) {
        return refuse(lights.error());
    }
    if (!a.near.empty()) {
        const night::SkyCircle circle{skyDegrees(a.near[0], a.near[1]),
                                      Angle::arcsec(60.0 * a.radiusArcmin)};
        lights = night::lightsWithin(std::move(*lights), circle);
    }
    if (!a.out.empty()) {
        if (auto written = writePicture(a.out, *light, then->values); !written) {
            return refuse(written.error());
        }
    }
    json difference;
    if (!a.difference.empty()) {
        const auto rest = night::thenDifference(*night, *light, *then);
        if (!rest) {
            return refuse(rest.error());
        }
        if (auto written = writePicture(a.difference, *light, rest->values); !written) {
            return refuse(written.error());
        }
        difference = {{"noise_electrons", rest->noise}, {"mismatch", rest->mismatch}};
    }
    json list = json::array();
    for (const night::DifferingLight& differing : *lights) {
        list.push_back(jsonOf(differing));
        a.console.say(fmt::format("{} {:.5f} {:+.5f}  S/N {:.1f}, {:.1f} errors over the limit{}",
                                  differing.isNew ? "new " : "gone",
                                  differing.sky.longitude.degrees(),
                                  differing.sky.latitude.degrees(),
                                  differing.snr,
                                  differing.overLimit,
                                  differing.known.empty() ? "" : ", " + differing.known));
    }
    return endWith(a.console,
                   {{"frame", light->raw.string()},
                    {"then", then->title},
                    {"epoch", then->epoch ? json(toIso(*then->epoch)) : json()},
                    {"pixel_arcsec", then->pixelArcsec},
                    {"linear", then->isLinear},
                    {"difference", difference},
                    {"lights", list}},
                   {});
}

int showChecked(const ThenArguments& a) {
    const int sources = static_cast<int>(!a.survey.empty()) + static_cast<int>(!a.image.empty()) +
                        static_cast<int>(!a.otherNight.empty());
    const auto refuse = [](const char* why) {
        Console::complain({ErrorId::CommandWrongUse, why, {}});
        return kWrongUse;
    };
    if (sources != 1) {
        return refuse("Give one picture of then: --survey URL, --image FILE or --with NIGHTFILE.");
    }
    if (!a.near.empty() && !isPlace(a.near[0], a.near[1])) {
        return refuse("--near takes RA and Dec in degrees.");
    }
    if (!(a.radiusArcmin > 0.0)) {
        return refuse("--radius must be more than 0 arcmin.");
    }
    return showThen(a);
}

} // namespace

void addThenVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<ThenArguments>();
    CLI::App* verb = program.add_subcommand(
        "then", "Lay an older picture on a light of a night, and list what differs");
    verb->add_option("night", a->nightFile, "Night file")->required();
    verb->add_option("--frame", a->frame, "The light; by default the first that is solved");
    verb->add_option("--survey", a->survey, "Address of a sky survey in the HiPS layout");
    verb->add_option("--image", a->image, "A FITS image, solved or not");
    verb->add_option("--with", a->otherNight, "Another night file, or the same");
    verb->add_option(
        "--with-frame", a->otherFrame, "Its light; by default the one that looks nearest");
    verb->add_option("--near", a->near, "Only about this place: RA and Dec in degrees")
        ->expected(2);
    verb->add_option("--radius", a->radiusArcmin, "Radius about it, arcmin");
    verb->add_option("--out", a->out, "Write the older picture on the light's pixels (FITS)");
    verb->add_option("--difference",
                     a->difference,
                     "Write the light less the older picture, the sharper brought to the stars of "
                     "the broader (FITS, electrons)");
    verb->add_flag("--offline", a->isOffline, "Only tiles that are kept");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return showChecked(*a); }; });
}

} // namespace pathmark::command
