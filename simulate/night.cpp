#include "simulate/night.h"

#include "core/base/atomic_file.h"
#include "core/base/parallel.h"
#include "core/frame/fits_file.h"
#include "simulate/camera.h"
#include "simulate/catalogue.h"
#include "simulate/exposure.h"
#include "simulate/headers.h"
#include "simulate/painter.h"
#include "simulate/sky_files.h"
#include "simulate/sky_painter.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::simulate {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

class NightWriter {
  public:
    NightWriter(const Scenario& scenario, fs::path out, const Job& job)
        : scenario_(scenario), out_(std::move(out)), job_(job), stars_(makeStars(scenario)) {
        for (std::size_t i = 0; i < scenario.cameras.size(); ++i) {
            detectors_[scenario.cameras[i].name] =
                makeDetector(scenario.cameras[i], scenario.seed * 1000 + i);
            total_ += scenario.cameras[i].biases + scenario.cameras[i].darks +
                      scenario.cameras[i].flats + scenario.cameras[i].flatDarks;
        }
        for (const SeriesScenario& series : scenario.series) {
            total_ += series.count;
        }
    }

    Result<bool> run() {
        for (const char* folder : {"lights", "calibration", "catalog", "orbits"}) {
            if (auto made = makeFolder(out_ / folder); !made) {
                return made;
            }
        }
        if (auto done = writeCatalogue(scenario_, stars_, out_ / "catalog" / "stars.csv"); !done) {
            return done;
        }
        if (auto done = writeOrbits(scenario_, out_ / "orbits"); !done) {
            return done;
        }
        if (auto done = writePastObservations(scenario_, out_ / "past-observations.txt"); !done) {
            return done;
        }
        for (const CameraScenario& camera : scenario_.cameras) {
            if (auto done = calibrationFrames(camera); !done) {
                return done;
            }
        }
        for (std::size_t i = 0; i < scenario_.series.size(); ++i) {
            if (auto done = lights(scenario_.series[i], i); !done) {
                return done;
            }
        }
        return writeWholeText(out_ / "truth.json", truth_.dump(1) + "\n");
    }

  private:
    /// Reads out one frame and writes it.
    Result<bool> write(const frame::Image& light,
                       const CameraScenario& camera,
                       const FrameStory& story,
                       const fs::path& path) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job_.progress("Making frames", done_++, total_);
        const NoiseHash hash =
            NoiseHash(scenario_.seed).child(5000 + static_cast<std::uint64_t>(done_));
        const auto adu =
            expose(light, detectors_.at(camera.name), camera, story.exposureSeconds, hash);
        return frame::writeFits(
            path, adu, makeHeader(story, camera, scenario_.site), frame::PixelType::UInt16);
    }

    Result<bool> calibrationFrames(const CameraScenario& camera) {
        const Utc first =
            scenario_.series.empty() ? Utc::julian(2464039.0, 0.2) : scenario_.series.front().start;
        std::string word;
        for (const char c : camera.name) {
            if (std::isalnum(static_cast<unsigned char>(c)) != 0) {
                word += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
            }
        }
        frame::Image darkness(camera.width, camera.height);
        frame::Image flat(camera.width, camera.height);
        const frame::Image& response = detectors_.at(camera.name).response;
        const double level = 0.42 * camera.saturationAdu * camera.electronsPerAdu;

        struct Kind {
            const char* name;
            int count;
            double seconds;
            double hours; ///< after the first light
            bool lit;
        };

        for (const Kind& kind :
             {Kind{"bias", camera.biases, 0.0, 5.0, false},
              Kind{"dark", camera.darks, camera.darkSeconds, 5.2, false},
              Kind{"flat-dark", camera.flatDarks, camera.flatSeconds, -1.1, false},
              Kind{"flat", camera.flats, camera.flatSeconds, -1.5, true}}) {
            for (int i = 0; i < kind.count; ++i) {
                FrameStory story;
                story.kind = kind.name;
                story.exposureSeconds = kind.seconds;
                story.start = first.plusSeconds(3600.0 * kind.hours + i * (kind.seconds + 4.0));
                story.measuredTemperature = camera.temperatureCelsius + 0.1 * ((i * 7) % 5 - 2);
                if (kind.lit) {
                    story.filter = camera.bayer.empty() ? camera.flatFilter : "";
                    // The twilight fades a little from flat to flat.
                    const double fade = level * (1.0 - 0.02 * i);
                    for (int y = 0; y < camera.height; ++y) {
                        for (int x = 0; x < camera.width; ++x) {
                            const auto colour = static_cast<std::size_t>(bayerColour(camera, x, y));
                            flat.at(x, y) =
                                static_cast<float>(fade * kColourShare[colour] *
                                                   static_cast<double>(response.at(x, y)));
                        }
                    }
                }
                const auto path =
                    out_ / "calibration" / fmt::format("{}_{}_{:02}.fits", word, kind.name, i + 1);
                if (auto done = write(kind.lit ? flat : darkness, camera, story, path); !done) {
                    return done;
                }
            }
        }
        return true;
    }

    Result<bool> lights(const SeriesScenario& s, std::size_t series) {
        const CameraScenario& camera = cameraOf(scenario_, s);
        const frame::Image& response = detectors_.at(camera.name).response;
        for (int i = 0; i < s.count; ++i) {
            const Exposure e = exposureOf(scenario_, series, i);
            frame::Image image = paintLight(scenario_, series, e, stars_);
            const NoiseHash hits = NoiseHash(scenario_.seed)
                                       .child(8000 + 1000 * series + static_cast<std::uint64_t>(i));
            if (i + 1 == s.satelliteFrame) {
                paintSatellite(image, e.blur, hits.child(1));
            }
            for (int y = 0; y < camera.height; ++y) {
                for (int x = 0; x < camera.width; ++x) {
                    image.at(x, y) *= response.at(x, y);
                }
            }
            const int hitCount =
                paintHits(image, s.cosmicsPerMinute * s.exposureSeconds / 60.0, hits);
            FrameStory story;
            story.kind = "light";
            story.start = e.start.plusSeconds(s.clockErrorSeconds);
            story.exposureSeconds = s.exposureSeconds;
            story.measuredTemperature = camera.temperatureCelsius + 0.05 * ((i * 3) % 5 - 2);
            story.filter = camera.bayer.empty() ? s.filter : "";
            story.object = s.object;
            story.raDegrees = e.pointingRa;
            story.decDegrees = e.pointingDec;
            story.pointing = true;
            const auto path = out_ / "lights" / fmt::format("{}_{:03}.fits", s.name, i + 1);
            if (auto done = write(image, camera, story, path); !done) {
                return done;
            }
            const RaDec axis = toRaDec(e.optics.axis);
            truth_["frames"].push_back(json{{"file", "lights/" + path.filename().string()},
                                            {"t_mid_utc", toIso(e.middle, 4)},
                                            {"ra", axis.raDegrees},
                                            {"dec", axis.decDegrees},
                                            {"scale_arcsec", e.optics.arcsecPerPixel},
                                            {"rotation_deg", e.optics.rotationDegrees},
                                            {"mirrored", e.optics.mirrored},
                                            {"cubic", e.optics.cubic},
                                            {"fwhm_px", e.blur.fwhm},
                                            {"transparency", e.transparency},
                                            {"hits", hitCount},
                                            {"bodies", trueBodies(scenario_, series, e)}});
        }
        return true;
    }

    const Scenario& scenario_;
    fs::path out_;
    const Job& job_;
    std::vector<SimStar> stars_;
    std::map<std::string, Detector> detectors_;
    json truth_{{"frames", json::array()}};
    int done_ = 0;
    int total_ = 0;
};

} // namespace

Result<bool> simulateNight(const Scenario& scenario, const fs::path& out, const Job& job) {
    return NightWriter(scenario, out, job).run();
}

} // namespace pathmark::simulate
