#include "command/catalog_choice.h"
#include "command/picture_input.h"
#include "core/night/joined_picture.h"
#include "core/night/linear_picture.h"
#include "core/picture/picture_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <map>
#include <memory>

namespace pathmark::command {
namespace {

struct PictureVerbArguments {
    PictureArguments picture;
    std::string layers;
    std::vector<std::string> planes;
    std::string white = "sun";
    double saturation = 1.0;
    double smoothing = 0.0;
    std::optional<int> skyDegree;
    bool caption = false;
    CatalogArguments catalog;
};

/// The layers asked for; both where a motion is given, else the stars.
Result<night::PictureLayers> layersOf(const PictureVerbArguments& a) {
    const bool moves = hasMotion(a.picture.motion) && !a.picture.motion.stars;
    if (a.layers.empty()) {
        return moves ? night::PictureLayers::Both : night::PictureLayers::Stars;
    }
    if (a.layers == "stars") {
        return night::PictureLayers::Stars;
    }
    if (a.layers != "comet" && a.layers != "stars,comet" && a.layers != "comet,stars") {
        return fail(ErrorId::CommandWrongUse,
                    fmt::format("--layers {} is none of stars, comet and stars,comet.", a.layers));
    }
    if (!moves) {
        return fail(ErrorId::CommandWrongUse,
                    "A comet layer needs a motion: --body, --rate or --marks.");
    }
    return a.layers == "comet" ? night::PictureLayers::Comet : night::PictureLayers::Both;
}

/// FILTER=PLANE, a plane being red, green, blue or luminance.
Result<std::map<std::string, int>> planesOf(const PictureVerbArguments& a) {
    static const std::map<std::string, int> kPlanes{
        {"red", 0}, {"green", 1}, {"blue", 2}, {"luminance", -1}};
    std::map<std::string, int> planes;
    for (const std::string& word : a.planes) {
        const auto equals = word.rfind('=');
        const auto plane =
            equals == std::string::npos ? kPlanes.end() : kPlanes.find(word.substr(equals + 1));
        if (plane == kPlanes.end() || equals == 0) {
            return fail(
                ErrorId::CommandWrongUse,
                fmt::format("--planes {} is no FILTER=red, green, blue or luminance.", word));
        }
        planes[word.substr(0, equals)] = plane->second;
    }
    return planes;
}

Result<bool> check(const PictureVerbArguments& a) {
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CommandWrongUse, why); };
    if (!picture::isPictureName(a.picture.out)) {
        return refuse(fmt::format("--out {} ends neither in .fits, .tif nor .png.", a.picture.out));
    }
    if (!picture::whiteNamed(a.white)) {
        return refuse(fmt::format("--white-is {} is none of sun, average and recorded.", a.white));
    }
    if (!(a.saturation >= 0.0 && a.saturation <= 10.0)) {
        return refuse(fmt::format("--saturation {:g} must lie between 0 and 10.", a.saturation));
    }
    if (!(a.smoothing >= 0.0 && a.smoothing <= 5.0)) {
        return refuse(fmt::format("--smooth {:g} must lie between 0 and 5.", a.smoothing));
    }
    if (a.skyDegree && (*a.skyDegree < 1 || *a.skyDegree > 6)) {
        return refuse(fmt::format("--sky-degree {} must lie between 1 and 6.", *a.skyDegree));
    }
    if (hasMotion(a.picture.motion)) {
        if (const std::string objection = objectionTo(a.picture.motion); !objection.empty()) {
            return refuse(objection);
        }
    }
    if (const std::string objection = command::objectionTo(a.catalog); !objection.empty()) {
        return refuse(objection);
    }
    return true;
}

nlohmann::json toJson(const PictureVerbArguments& a,
                      const night::JoinedPicture& made,
                      const picture::Stretch& stretch) {
    const auto& s = made.scales;
    return {{"file", a.picture.out},
            {"width", made.linear.width()},
            {"height", made.linear.height()},
            {"time", toIso(made.time)},
            {"frames", made.frames},
            {"planes", made.planes},
            {"scale_arcsec", made.grid.wcs.scaleArcsec()},
            {"white_is", s.white},
            {"colour_scales", s.scale},
            {"colour_stars", s.stars},
            {"colour_scatter_mag", finite(s.scatter)},
            {"black", stretch.black},
            {"white", stretch.white},
            {"softness", stretch.softness}};
}

/// Where the body is in each frame, and then where it stands.
std::vector<SkyPos> pathOf(const PictureInput& input, const Utc& stands) {
    std::vector<SkyPos> path;
    std::vector<Utc> times;
    for (const auto& light : night::allLights(input.channels)) {
        times.push_back(light.middle);
    }
    times.push_back(stands);
    for (const Utc& time : times) {
        if (const auto place =
                input.motion ? input.motion->at(time) : fail(ErrorId::PictureNoLayer, "")) {
            path.push_back(*place);
        }
    }
    return path;
}

Result<bool> writeIt(const PictureVerbArguments& a,
                     night::JoinedPicture&& made,
                     const PictureInput& input,
                     const picture::Stretch& stretch) {
    const picture::PictureNote note{input.motion ? input.motion->object : "stars",
                                    toIso(made.time),
                                    made.planes,
                                    made.grid.wcs};
    const picture::Ground ground = picture::groundOf(made.linear);
    picture::Look look;
    look.isLinear = stretch.curve == picture::Stretch::Curve::Linear;
    look.black = (stretch.black - ground.level) / ground.noise;
    look.white = (stretch.white - ground.level) / ground.noise;
    look.softness = stretch.softness / ground.noise;
    look.saturation = a.saturation;
    look.smoothing = a.smoothing;
    look.whiteIs = *picture::whiteNamed(a.white);
    look.marks = a.picture.marks;
    look.marks.caption = a.caption;
    std::vector<SkyPos> path = pathOf(input, made.time);
    const SkyPos body = path.empty() ? SkyPos() : path.back();
    if (!path.empty()) {
        path.pop_back();
    }
    return night::writeSeen(
        a.picture.out, night::linearOf(std::move(made), body, std::move(path)), look, note);
}

Result<nlohmann::json> makePicture(const PictureVerbArguments& a, std::vector<Error>& failures) {
    const auto layers = layersOf(a);
    const auto canvas = canvasOf(a.picture);
    const auto wish = stretchOf(a.picture);
    const auto planes = planesOf(a);
    if (!layers || !canvas || !wish || !planes) {
        return fail(!layers   ? layers.error()
                    : !canvas ? canvas.error()
                    : !wish   ? wish.error()
                              : planes.error());
    }
    const auto store = openCatalog(a.catalog);
    if (!store) {
        return fail(store.error());
    }
    auto input = readPictureInput(a.picture);
    if (!input) {
        return fail(input.error());
    }
    failures = input->channels.failures;
    night::JoinedPictureWishes wishes;
    wishes.layers = *layers;
    wishes.canvas = *canvas;
    if (input->motion) {
        wishes.target = input->motion->at;
    }
    wishes.planeOf = *planes;
    wishes.sky.degree = a.skyDegree;
    auto made = night::joinPicture(
        input->channels, wishes, pointerTo(*store), input->folder.path(), a.picture.console.job());
    if (!made) {
        return fail(made.error());
    }
    for (const std::string& why : made->leftOut) {
        a.picture.console.say(why);
    }
    const picture::Stretch stretch = picture::stretchFor(made->linear, *wish);
    auto document = toJson(a, *made, stretch);
    const std::string words =
        fmt::format("{}: {} x {} pixels, {}; white is {}; black {:.1f}, white {:.0f} electrons",
                    a.picture.out,
                    made->linear.width(),
                    made->linear.height(),
                    made->planes,
                    made->scales.white,
                    stretch.black,
                    stretch.white);
    if (auto written = writeIt(a, std::move(*made), *input, stretch); !written) {
        return fail(written.error());
    }
    a.picture.console.say(words);
    return document;
}

int pictureAll(const PictureVerbArguments& a) {
    const auto start = std::chrono::steady_clock::now();
    if (const auto checked = check(a); !checked) {
        Console::complain(checked.error());
        return kWrongUse;
    }
    std::vector<Error> failures;
    auto document = makePicture(a, failures);
    if (!document) {
        Console::complain(document.error());
        return document.error().id == ErrorId::CommandWrongUse ? kWrongUse : kSomeFailed;
    }
    const std::chrono::duration<double> seconds = std::chrono::steady_clock::now() - start;
    (*document)["seconds"] = seconds.count();
    return endWith(a.picture.console, std::move(*document), failures);
}

} // namespace

void addPictureVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<PictureVerbArguments>();
    CLI::App* verb = program.add_subcommand(
        "picture", "Join stars and comet of solved frames in one picture, in colour");
    addPictureOptions(*verb, a->picture);
    verb->add_option("--layers", a->layers, "stars, comet or stars,comet");
    verb->add_option("--planes", a->planes, "FILTER=red, green, blue or luminance, one or more");
    verb->add_option("--white-is", a->white, "sun, average or recorded");
    verb->add_option("--saturation", a->saturation, "What colours are multiplied by");
    verb->add_option("--smooth", a->smoothing, "Strength of smoothing; 1 takes off the noise");
    verb->add_option("--sky-degree", a->skyDegree, "Of the polynomials that are the frames' skies");
    verb->add_flag("--caption", a->caption, "A strip beneath, with what it shows");
    addCatalogOptions(*verb, a->catalog, "colours");
    verb->final_callback([a, &chosen] { chosen = [a] { return pictureAll(*a); }; });
}

} // namespace pathmark::command
