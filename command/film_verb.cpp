#include "command/picture_input.h"
#include "core/night/film.h"
#include "core/picture/film_file.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

struct FilmArguments {
    PictureArguments picture;
    double framesPerSecond = 10.0;
    int running = 1;
    int width = 0;
    bool stamp = false;
    double pauseSeconds = 0.0;
    bool holdsStars = false;
};

Result<bool> check(const FilmArguments& a) {
    const auto refuse = [](const std::string& why) { return fail(ErrorId::CommandWrongUse, why); };
    if (!picture::isFilmName(a.picture.out)) {
        return refuse(fmt::format("--out {} ends neither in .mp4, .webm nor .gif.", a.picture.out));
    }
    if (const std::string objection = objectionTo(a.picture.motion); !objection.empty()) {
        return refuse(objection);
    }
    if (!(a.framesPerSecond >= 0.1 && a.framesPerSecond <= 120.0)) {
        return refuse(fmt::format("--fps {:g} must lie between 0.1 and 120.", a.framesPerSecond));
    }
    if (!(a.pauseSeconds >= 0.0 && a.pauseSeconds <= 60.0)) {
        return refuse(fmt::format("--pause {:g} must lie between 0 and 60.", a.pauseSeconds));
    }
    if (a.running < 1) {
        return refuse(fmt::format("--running {} must be 1 or more.", a.running));
    }
    if (a.width != 0 && (a.width < 16 || a.width > 16384)) {
        return refuse(fmt::format("--width {} must lie between 16 and 16384.", a.width));
    }
    if (a.picture.marks.path && a.picture.motion.stars) {
        return refuse("--path is that of a body: --body, --rate or --marks.");
    }
    return true;
}

Result<nlohmann::json> makeFilm(const FilmArguments& a, std::vector<Error>& failures) {
    const auto canvas = canvasOf(a.picture);
    const auto wish = stretchOf(a.picture);
    if (!canvas || !wish) {
        return fail(!canvas ? canvas.error() : wish.error());
    }
    auto input = readPictureInput(a.picture);
    if (!input) {
        return fail(input.error());
    }
    failures = input->channels.failures;
    night::FilmWishes wishes;
    wishes.canvas = *canvas;
    wishes.isCanvasChosen = !a.picture.canvas.extent.empty();
    wishes.stretch = *wish;
    wishes.framesPerSecond = a.framesPerSecond;
    wishes.running = a.running;
    wishes.width = a.width;
    wishes.hasStamp = a.stamp;
    wishes.marks = a.picture.marks;
    wishes.pauseSeconds = a.pauseSeconds;
    if (input->motion) {
        wishes.target = input->motion->at;
        wishes.isBodyFixed = !a.holdsStars;
    }
    const auto made =
        night::makeFilm(input->channels, wishes, a.picture.out, a.picture.console.job());
    if (!made) {
        return fail(made.error());
    }
    a.picture.console.say(fmt::format("{}: {} pictures of {} x {} pixels",
                                      a.picture.out,
                                      made->frames,
                                      made->width,
                                      made->height));
    return nlohmann::json{{"file", a.picture.out},
                          {"frames", made->frames},
                          {"seconds", made->frames / a.framesPerSecond},
                          {"width", made->width},
                          {"height", made->height},
                          {"fps", a.framesPerSecond}};
}

int filmAll(const FilmArguments& a) {
    if (const auto checked = check(a); !checked) {
        Console::complain(checked.error());
        return kWrongUse;
    }
    std::vector<Error> failures;
    auto document = makeFilm(a, failures);
    if (!document) {
        Console::complain(document.error());
        return document.error().id == ErrorId::CommandWrongUse ? kWrongUse : kSomeFailed;
    }
    return endWith(a.picture.console, std::move(*document), failures);
}

} // namespace

void addFilmVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<FilmArguments>();
    CLI::App* verb = program.add_subcommand(
        "film", "Make a film of solved frames, the stars or a body standing still");
    addPictureOptions(*verb, a->picture);
    verb->add_option("--fps", a->framesPerSecond, "Pictures a second");
    verb->add_option("--running", a->running, "Frames added for each picture");
    verb->add_option("--width", a->width, "Pixels, at most");
    verb->add_flag("--stamp", a->stamp, "The time, in the lower left corner");
    verb->add_option("--pause", a->pauseSeconds, "Seconds that its first and last picture stand");
    verb->add_flag("--hold-stars", a->holdsStars, "Let the stars stand still, whatever moves");
    verb->final_callback([a, &chosen] { chosen = [a] { return filmAll(*a); }; });
}

} // namespace pathmark::command
