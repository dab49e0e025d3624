#include "command/catalog_choice.h"
#include "command/picture_input.h"
#include "core/night/joined_picture.h"
#include "core/picture/picture_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <chrono>
#include <memory>

namespace pathmark::command {
namespace {

struct PictureVerbArguments {
    PictureArguments picture;
    std::string layers;
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

Result<bool> check(const PictureVerbArguments& a) {
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CommandWrongUse, why); };
    if (!picture::isPictureName(a.picture.out)) {
        return refuse(fmt::format("--out {} ends neither in .fits, .tif nor .png.", a.picture.out));
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

Result<nlohmann::json> makePicture(const PictureVerbArguments& a, std::vector<Error>& failures) {
    const auto layers = layersOf(a);
    const auto canvas = canvasOf(a.picture.canvas);
    const auto wish = stretchOf(a.picture);
    if (!layers || !canvas || !wish) {
        return fail(!layers ? layers.error() : !canvas ? canvas.error() : wish.error());
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
    const auto made = night::joinPicture(
        input->channels, wishes, pointerTo(*store), input->folder.path(), a.picture.console.job());
    if (!made) {
        return fail(made.error());
    }
    const picture::Stretch stretch = picture::stretchFor(made->linear, *wish);
    picture::PictureNote note;
    note.object = input->motion ? input->motion->object : "stars";
    note.time = toIso(made->time);
    note.filters = made->planes;
    note.wcs = made->grid.wcs;
    if (auto written = picture::writePicture(
            a.picture.out, made->linear, picture::stretched(made->linear, stretch), note);
        !written) {
        return fail(written.error());
    }
    a.picture.console.say(
        fmt::format("{}: {} x {} pixels, {}; white is {}; black {:.1f}, white {:.0f} electrons",
                    a.picture.out,
                    made->linear.width(),
                    made->linear.height(),
                    made->planes,
                    made->scales.white,
                    stretch.black,
                    stretch.white));
    return toJson(a, *made, stretch);
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
    addCatalogOptions(*verb, a->catalog, "colours");
    verb->final_callback([a, &chosen] { chosen = [a] { return pictureAll(*a); }; });
}

} // namespace pathmark::command
