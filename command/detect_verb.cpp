#include "command/console.h"
#include "core/base/atomic_file.h"
#include "core/detect/detect.h"
#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <memory>

namespace pathmark::command {
namespace {

struct DetectArguments {
    Console console;
    std::string file;
    std::string csv;
};

nlohmann::json sourceJson(const detect::Source& s, const std::optional<frame::Wcs>& wcs) {
    const auto pixel = frame::toFits({s.x, s.y});
    nlohmann::json entry{{"x", pixel.x},
                         {"y", pixel.y},
                         {"x_err", s.xError},
                         {"y_err", s.yError},
                         {"flux", s.flux},
                         {"flux_err", s.fluxError},
                         {"fwhm", s.fwhm},
                         {"elongation", s.elongation},
                         {"snr", s.snr},
                         {"flags", detect::flagText(s.flags)}};
    if (wcs) {
        const SkyPos sky = wcs->toSky({s.x, s.y});
        entry["ra"] = sky.longitude.degrees();
        entry["dec"] = sky.latitude.degrees();
    }
    return entry;
}

std::string csvText(const nlohmann::json& sources, bool solved) {
    std::string text = "x,y,x_err,y_err,flux,flux_err,fwhm,elongation,snr,flags";
    text += solved ? ",ra,dec\n" : "\n";
    for (const auto& s : sources) {
        const auto v = [&](const char* key) { return s[key].get<double>(); };
        text += fmt::format("{:.4f},{:.4f},{:.4f},{:.4f},{:.2f},{:.2f},{:.3f},{:.3f},{:.2f},{}",
                            v("x"),
                            v("y"),
                            v("x_err"),
                            v("y_err"),
                            v("flux"),
                            v("flux_err"),
                            v("fwhm"),
                            v("elongation"),
                            v("snr"),
                            s["flags"].get<std::string>());
        text += solved ? fmt::format(",{:.8f},{:.8f}\n", v("ra"), v("dec")) : "\n";
    }
    return text;
}

int detectIn(const DetectArguments& a) {
    auto loaded = frame::readFits(a.file);
    if (!loaded) {
        Console::complain(loaded.error());
        return kSomeFailed;
    }
    detect::DetectOptions options;
    options.saturation = loaded->header.number("PMSATUR");
    auto detection = detect::detectSources(loaded->image, options);
    if (!detection) {
        Error error = detection.error();
        error.subject = a.file;
        Console::complain(error);
        return kSomeFailed;
    }
    std::optional<frame::Wcs> wcs;
    if (auto read = frame::readWcs(loaded->header, loaded->image.width(), loaded->image.height())) {
        wcs = *read;
    }
    nlohmann::json sources = nlohmann::json::array();
    for (const auto& s : detection->sources) {
        sources.push_back(sourceJson(s, wcs));
    }
    if (!a.csv.empty()) {
        if (auto done = writeWholeText(a.csv, csvText(sources, wcs.has_value())); !done) {
            Console::complain(done.error());
            return kSomeFailed;
        }
    }
    if (a.console.json) {
        Console::print({{"file", a.file},
                        {"fwhm_px", detection->fwhm},
                        {"elongation", detection->elongation},
                        {"background", detection->sky.typicalLevel()},
                        {"noise", detection->sky.typicalNoise()},
                        {"sources", sources}});
    } else {
        a.console.say(fmt::format("{}: {} sources, FWHM {:.2f} pixels, background {:.1f} +- {:.1f}",
                                  a.file,
                                  detection->sources.size(),
                                  detection->fwhm,
                                  detection->sky.typicalLevel(),
                                  detection->sky.typicalNoise()));
    }
    return kDone;
}

} // namespace

void addDetectVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<DetectArguments>();
    CLI::App* verb = program.add_subcommand("detect", "Find the sources of a frame");
    verb->add_option("file", a->file, "FITS frame")->required();
    verb->add_option("--csv", a->csv, "Write the sources to this file");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return detectIn(*a); }; });
}

} // namespace pathmark::command
