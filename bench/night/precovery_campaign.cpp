#include "core/base/angle.h"
#include "simulate/body_motion.h"
#include "simulate/orbit_through.h"
#include "simulate/painter.h"
#include "tests/support/shell.h"
#include "tests/support/small_night.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <numbers>
#include <random>
#include <thread>

// Bodies that were seen over arcs of two hours to three weeks, hidden in an older night too faint for one frame: how many are found there
// of those that the search says it looked for. Truth: the simulator's own Kepler motion and Earth, which share nothing with core/orbit.

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr const char* kName = "Hid17";
constexpr int kFrames = 12;
constexpr double kPlaceError = 0.1; ///< arcsec, of tonight's places
constexpr double kFoundArcsec = 2.0;

struct Settings {
    int bodies = 20;
    unsigned seed = 1;
    int jobs = 2;
    double falseAlarms = 0.01;
    std::string work;
    int only = -1; ///< this one alone, and it is kept
};

struct Case {
    simulate::Scenario scenario;
    std::string observations; ///< ADES PSV
    double arcDays = 0.0;
    double gapDays = 0.0;
    double snr = 0.0; ///< over all frames
    simulate::BodyScenario body;
};

SkyPos
placeOf(const simulate::BodyScenario& body, const simulate::SiteScenario& site, const Utc& time) {
    return SkyPos::fromVector(simulate::seeBody(body, site, time).direction);
}

/// The absolute magnitude at which a body is so bright at a time.
double absoluteFor(simulate::BodyScenario body,
                   const simulate::SiteScenario& site,
                   const Utc& time,
                   double magnitude) {
    body.h = 15.0;
    return 15.0 + magnitude - simulate::seeBody(body, site, time).magnitudeV;
}

/// Bodies are brighter in R than in V by so much, as they are painted.
constexpr double kRedder = 0.39;

/// The magnitude in V that has so much signal over the sky's noise in a frame.
double magnitudeOf(double snr,
                   const simulate::SeriesScenario& series,
                   const simulate::CameraScenario& camera,
                   double scale) {
    const double skyPerPixel = series.exposureSeconds *
                               std::pow(10.0, 0.4 * (camera.zeroPoint - series.skyMag)) * scale *
                               scale;
    // Pixels that a matched filter adds: one over the integral of a Moffat profile's square.
    constexpr double beta = simulate::Blur{}.beta;
    const double core = series.fwhmArcsec / scale / (2.0 * std::sqrt(std::exp2(1.0 / beta) - 1.0));
    const double pixels =
        std::numbers::pi * core * core * (2.0 * beta - 1.0) / ((beta - 1.0) * (beta - 1.0));
    const double noise =
        std::sqrt((skyPerPixel + camera.readNoiseElectrons * camera.readNoiseElectrons) * pixels);
    return camera.zeroPoint + 2.5 * std::log10(series.exposureSeconds / (snr * noise)) + kRedder;
}

std::string observationsOf(const simulate::BodyScenario& body,
                           const simulate::SiteScenario& site,
                           const Utc& last,
                           double arcDays,
                           std::mt19937_64& random) {
    std::normal_distribution<double> noise(0.0, kPlaceError);
    std::string text = "# version=2022\ntrkSub|mode|stn|obsTime|ra|dec|rmsRA|rmsDec|astCat\n";
    const int nights =
        std::max(1, static_cast<int>(std::ceil(arcDays / 3.0)) + (arcDays > 0.5 ? 1 : 0));
    const double ofNight = std::min(arcDays, 0.09);
    for (int n = 0; n < nights; ++n) {
        const double before = nights == 1 ? 0.0 : (arcDays - ofNight) * n / (nights - 1);
        for (int k = 0; k < 4; ++k) {
            const Utc time = last.plusSeconds(-kSecondsPerDay * (before + ofNight * k / 3.0));
            const SkyPos place = offsetBy(placeOf(body, site, time), noise(random), noise(random));
            text += fmt::format("{}|CCD|XXX|{}|{:.7f}|{:.7f}|{}|{}|Gaia3\n",
                                kName,
                                toIso(time, 3),
                                place.longitude.degrees(),
                                place.latitude.degrees(),
                                kPlaceError,
                                kPlaceError);
        }
    }
    return text;
}

Case drawCase(unsigned seed, int number) {
    std::mt19937_64 random(seed * 1000ULL + static_cast<unsigned>(number));
    const auto uniform = [&](double from, double to) {
        return std::uniform_real_distribution<double>(from, to)(random);
    };
    Case drawn;
    drawn.scenario = test_support::smallScenario();
    simulate::Scenario& s = drawn.scenario;
    s.seed = 4000U + static_cast<unsigned>(number);
    s.extraOrbits = 5;
    const Utc last = *parseUtc("2034-03-17T22:20:00");
    drawn.arcDays = std::pow(10.0, uniform(std::log10(2.0 / 24.0), std::log10(21.0)));
    drawn.gapDays = drawn.arcDays < 0.5
                        ? 1.0
                        : std::round(uniform(1.0, std::min(30.0, 4.0 + 2.0 * drawn.arcDays)));
    const Utc old =
        last.plusSeconds(-kSecondsPerDay * (std::round(drawn.arcDays) + drawn.gapDays) - 1800.0);
    simulate::OrbitWish wish;
    wish.raDegrees = uniform(165.0, 190.0);
    wish.decDegrees = uniform(-5.0, 10.0);
    const bool isNear = number % 3 == 2;
    wish.distanceAu = isNear ? uniform(0.5, 0.9) : uniform(1.0, 2.2);
    wish.speed = uniform(0.97, 1.1);
    wish.climbDegrees = uniform(-6.0, 6.0);
    drawn.body = simulate::orbitThrough(wish, last);
    drawn.body.name = "hidden";
    drawn.body.known = false;
    s.series.resize(1);
    auto& series = s.series.front();
    series.start = old;
    series.count = kFrames;
    series.cadenceSeconds = 420.0;
    series.rotationDegrees = uniform(0.0, 360.0);
    const Utc middle = old.plusSeconds(0.5 * kFrames * series.cadenceSeconds);
    const SkyPos field = offsetBy(
        placeOf(drawn.body, s.site, middle), uniform(-150.0, 150.0), uniform(-120.0, 120.0));
    series.raDegrees = field.longitude.degrees();
    series.decDegrees = field.latitude.degrees();
    s.fields.front() = {series.raDegrees, series.decDegrees, 0.2, 3000.0};
    drawn.snr = uniform(4.0, 10.0);
    const double scale = 206.265 * s.cameras.front().pixelMicrometres / s.site.focalMillimetres;
    drawn.body.h = absoluteFor(
        drawn.body,
        s.site,
        middle,
        magnitudeOf(drawn.snr / std::sqrt(1.0 * kFrames), series, s.cameras.front(), scale));
    s.bodies.resize(1);
    s.bodies.front().h = 30.0; // a known one that nobody sees
    s.bodies.push_back(drawn.body);
    drawn.observations = observationsOf(drawn.body, s.site, last, drawn.arcDays, random);
    return drawn;
}

/// What came of one body.
struct Outcome {
    std::string words;
    double offArcsec = -1.0; ///< of what was found, from the truth
    double snr = 0.0;        ///< that the search states
    double seconds = 0.0;
};

Outcome live(const Case& drawn, double falseAlarms, const fs::path& folder) {
    Outcome outcome;
    fs::remove_all(folder);
    fs::create_directories(folder);
    const fs::path night = folder / "night";
    test_support::makeNight(night, drawn.scenario);
    std::ofstream(night / "tonight.psv") << drawn.observations;
    std::string recipe = test_support::contentOf(night / "recipe.toml");
    const std::string before = "observations = ['past-observations.txt']";
    recipe.replace(recipe.find(before), before.size(), "observations = ['tonight.psv']");
    std::ofstream(night / "recipe.toml") << recipe;
    const auto run = [&](const std::string& words) {
        return test_support::runLine(fmt::format("'{}' {} > '{}' 2> '{}'",
                                                 PATHMARK_COMMAND,
                                                 words,
                                                 (folder / "said.json").string(),
                                                 (folder / "words.txt").string()));
    };
    run(fmt::format("run '{0}' --recipe '{0}/recipe.toml' --out '{0}/out' --threads 1 --quiet",
                    night.string()));
    const auto start = std::chrono::steady_clock::now();
    run(fmt::format("precovery '{0}/out/night.pmnight' --body {1} '{0}/out/calibrated' "
                    "--false-alarms {2} --threads 1 --json",
                    night.string(),
                    kName,
                    falseAlarms));
    outcome.seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    const auto document =
        json::parse(test_support::contentOf(folder / "said.json"), nullptr, false);
    if (!document.is_object() || !document.contains("nights") || document.at("nights").empty()) {
        outcome.words = "no answer: " + test_support::contentOf(folder / "words.txt");
        return outcome;
    }
    const json& told = document.at("nights").at(0);
    outcome.words = told.at("outcome").get<std::string>();
    outcome.snr = told.at("snr").is_number() ? told.at("snr").get<double>() : 0.0;
    for (const json& m : told.at("measurements")) {
        const SkyPos measured = skyDegrees(m.at("ra").get<double>(), m.at("dec").get<double>());
        const Utc time = *parseUtc(m.at("mid_time").get<std::string>());
        outcome.offArcsec =
            std::max(outcome.offArcsec,
                     separation(measured, placeOf(drawn.body, drawn.scenario.site, time)).arcsec());
    }
    if (told.at("outcome") != "found") {
        outcome.words += fmt::format(
            " (1 sigma {:.0f}\" by {:.0f}\", {} frames) {}",
            told.at("sigma_major_arcsec").is_number() ? told.at("sigma_major_arcsec").get<double>()
                                                      : -1.0,
            told.at("sigma_minor_arcsec").is_number() ? told.at("sigma_minor_arcsec").get<double>()
                                                      : -1.0,
            told.at("frames").get<int>(),
            told.at("words").get<std::string>());
    }
    return outcome;
}

int campaign(const Settings& settings) {
    const fs::path work = settings.work.empty() ? fs::temp_directory_path() / "pathmark-precovery"
                                                : fs::path(settings.work);
    std::atomic<int> next{std::max(0, settings.only)};
    const int end = settings.only < 0 ? settings.bodies : settings.only + 1;
    std::mutex lock;
    int searched = 0;
    int found = 0;
    int wrong = 0;
    const auto one = [&] {
        for (int k = next++; k < end; k = next++) {
            const Case drawn = drawCase(settings.seed, k);
            const fs::path folder = work / fmt::format("{}-{}", settings.seed, k);
            const Outcome outcome = live(drawn, settings.falseAlarms, folder);
            if (settings.only < 0) {
                fs::remove_all(folder);
            }
            const std::scoped_lock held(lock);
            const bool isFound = outcome.words == "found";
            const bool isRight = isFound && outcome.offArcsec < kFoundArcsec;
            searched += isFound || outcome.words.starts_with("not_seen") ? 1 : 0;
            found += isRight ? 1 : 0;
            wrong += isFound && !isRight ? 1 : 0;
            fmt::print(
                "{:3}  arc {:6.2f} d, {:4.0f} d earlier, {:.2f} au, S/N {:4.1f}: {}{}  {:.1f} s\n",
                k,
                drawn.arcDays,
                drawn.gapDays,
                drawn.body.perihelionAu,
                drawn.snr,
                outcome.words,
                isFound ? fmt::format(" S/N {:.1f}, {:.2f}\" from the truth",
                                      outcome.snr,
                                      outcome.offArcsec)
                        : "",
                outcome.seconds);
            std::fflush(stdout);
        }
    };
    std::vector<std::jthread> workers;
    for (int k = 0; k < std::max(1, settings.jobs); ++k) {
        workers.emplace_back(one);
    }
    workers.clear();
    fmt::print(
        "searched {} of {}, found {} ({:.0f} %, limit 90), false {} ({:g} a night expected)\n",
        searched,
        settings.bodies,
        found,
        100.0 * found / std::max(1, searched),
        wrong,
        settings.falseAlarms);
    return wrong == 0 && found * 10 >= searched * 9 ? 0 : 1;
}

} // namespace
} // namespace pathmark

int main(int argc, char** argv) {
    pathmark::Settings settings;
    CLI::App app{"Bodies of tonight, hidden in an older night"};
    app.add_option("--bodies", settings.bodies, "How many");
    app.add_option("--seed", settings.seed, "Which");
    app.add_option("--jobs", settings.jobs, "At once");
    app.add_option(
        "--false-alarms", settings.falseAlarms, "Places that chance may make on a night");
    app.add_option("--only", settings.only, "One alone, by its number; it is kept");
    app.add_option("--work", settings.work, "Where they are made");
    CLI11_PARSE(app, argc, argv);
    return pathmark::campaign(settings);
}
