#include "simulate/night.h"

#include "core/base/atomic_file.h"
#include "core/base/parallel.h"
#include "core/frame/fits_file.h"
#include "simulate/body_motion.h"
#include "simulate/camera.h"
#include "simulate/catalogue.h"
#include "simulate/headers.h"
#include "simulate/optics.h"
#include "simulate/painter.h"
#include "simulate/sky_files.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::simulate {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr double kBodyColour = 0.88;

/// What one colour of a Bayer camera takes of the light.
constexpr std::array<double, 3> kColourShare{0.75, 1.0, 0.6};

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

    struct Moment {
        Optics optics;
        Utc start;
        Utc middle;
        double transparency = 1.0;
        Blur blur;
        double pointingRa = 0.0;
        double pointingDec = 0.0;
    };

    Moment momentOf(const SeriesScenario& s,
                    const CameraScenario& camera,
                    std::size_t series,
                    int i) const {
        const NoiseHash hash = NoiseHash(scenario_.seed).child(3000 + series);
        const auto n = static_cast<std::uint64_t>(i);
        Moment m;
        m.start = s.start.plusSeconds(i * s.cadenceSeconds + 0.317 * hash.uniform(n, 3));
        m.middle = m.start.plusSeconds(0.5 * s.exposureSeconds);
        const double hours = m.middle.secondsSince(s.start) / 3600.0;
        const double east = s.ditherArcsec * hash.normal(n, 0) + s.driftArcsecPerHour * hours;
        const double north =
            s.ditherArcsec * hash.normal(n, 1) - 0.4 * s.driftArcsecPerHour * hours;
        const double dec = s.decDegrees + north / 3600.0;
        const double ra = s.raDegrees + east / 3600.0 / std::cos(dec * kRadiansPerDegree);
        m.optics.axis = unitVector(ra, dec);
        m.optics.arcsecPerPixel =
            206.26480624709636 * camera.pixelMicrometres / scenario_.site.focalMillimetres;
        m.optics.rotationDegrees = s.rotationDegrees + 0.03 * hash.normal(n, 2);
        m.optics.mirrored = s.mirrored;
        m.optics.middleX = 0.5 * (camera.width - 1);
        m.optics.middleY = 0.5 * (camera.height - 1);
        const double corner = std::hypot(m.optics.middleX, m.optics.middleY);
        m.optics.cubic = s.distortionPixels / (corner * corner * corner);
        const double offset = s.pointingErrorArcsec / 3600.0;
        m.pointingRa = ra + offset / std::cos(dec * kRadiansPerDegree);
        m.pointingDec = dec - 0.5 * offset;
        m.transparency =
            std::pow(10.0,
                     -0.4 * s.cloud * std::max(0.0, std::sin(6.0 * i / std::max(1, s.count)))) *
            (1.0 + 0.006 * hash.normal(n + 50, 0));
        m.blur.fwhm =
            s.fwhmArcsec / m.optics.arcsecPerPixel * (1.0 + 0.05 * hash.normal(n + 60, 0));
        m.blur.ellipticity = s.ellipticity;
        m.blur.angleDegrees = 30.0 + 5.0 * hash.normal(n + 70, 0);
        return m;
    }

    /// Electrons of an object of that magnitude in the series' band in one exposure.
    static double electronsOf(const SeriesScenario& s,
                              const CameraScenario& camera,
                              const Moment& m,
                              double magnitude,
                              double colour) {
        const double natural = magnitude + camera.colourTerm * (colour - 0.8);
        return s.exposureSeconds * m.transparency *
               std::pow(10.0, 0.4 * (camera.zeroPoint - natural));
    }

    void paintSky(frame::Image& image,
                  const SeriesScenario& s,
                  const CameraScenario& camera,
                  const Moment& m) const {
        const double area = m.optics.arcsecPerPixel * m.optics.arcsecPerPixel;
        const double level =
            s.exposureSeconds * area * std::pow(10.0, 0.4 * (camera.zeroPoint - s.skyMag));
        for (int y = 0; y < camera.height; ++y) {
            for (int x = 0; x < camera.width; ++x) {
                const double slope = s.skyGradient * (static_cast<double>(x) / camera.width +
                                                      static_cast<double>(y) / camera.height - 1.0);
                image.at(x, y) = static_cast<float>(level * (1.0 + 0.5 * slope));
            }
        }
    }

    void paintStars(frame::Image& image,
                    const SeriesScenario& s,
                    const CameraScenario& camera,
                    const Moment& m) const {
        const Vec3 earth = earthPlace(m.middle);
        for (const SimStar& star : stars_) {
            const auto p = m.optics.place(star.direction(m.middle, earth));
            if (!p || p->x < -80.0 || p->y < -80.0 || p->x > camera.width + 80.0 ||
                p->y > camera.height + 80.0) {
                continue;
            }
            paintPoint(image,
                       m.blur,
                       p->x,
                       p->y,
                       electronsOf(s, camera, m, star.magnitude(s.band), star.colour));
        }
    }

    json paintBodies(frame::Image& image,
                     const SeriesScenario& s,
                     const CameraScenario& camera,
                     const Moment& m) const {
        json truth = json::object();
        for (const BodyScenario& body : scenario_.bodies) {
            const BodySight sight = seeBody(body, scenario_.site, m.middle);
            const auto p = m.optics.place(sight.direction);
            if (!p || p->x < -200.0 || p->y < -200.0 || p->x > camera.width + 200.0 ||
                p->y > camera.height + 200.0) {
                continue;
            }
            const auto from = m.optics.place(seeBody(body, scenario_.site, m.start).direction);
            const auto to = m.optics.place(
                seeBody(body, scenario_.site, m.start.plusSeconds(s.exposureSeconds)).direction);
            SimStar colour;
            colour.magG = 0.0;
            colour.colour = kBodyColour;
            const double magnitude =
                sight.magnitudeV + colour.magnitude(s.band) - colour.magnitude("V");
            const double electrons = electronsOf(s, camera, m, magnitude, kBodyColour);
            if (body.m1) {
                // The tail points away from the Sun as projected on the sky.
                const Vec3 ahead = sight.direction + 1e-4 * sight.awayFromSun;
                const auto tip = m.optics.place((1.0 / norm(ahead)) * ahead);
                const double dx = tip->x - p->x;
                const double dy = tip->y - p->y;
                const double length = std::max(1e-9, std::hypot(dx, dy));
                paintComet(image,
                           m.blur,
                           p->x,
                           p->y,
                           electrons,
                           body.comaArcsec / m.optics.arcsecPerPixel,
                           dx / length,
                           dy / length);
            } else {
                paintTrail(image, m.blur, from->x, from->y, to->x, to->y, electrons);
            }
            const RaDec place = toRaDec(sight.direction);
            truth[body.name] =
                json{{"ra", place.raDegrees},
                     {"dec", place.decDegrees},
                     {"x", p->x + 1.0},
                     {"y", p->y + 1.0},
                     {"mag", magnitude},
                     {"flux_e", electrons},
                     {"r_au", sight.sunDistanceAu},
                     {"delta_au", sight.distanceAu},
                     {"inside",
                      p->x >= 0.0 && p->y >= 0.0 && p->x < camera.width && p->y < camera.height}};
        }
        return truth;
    }

    Result<bool> lights(const SeriesScenario& s, std::size_t series) {
        const CameraScenario& camera =
            *std::find_if(scenario_.cameras.begin(), scenario_.cameras.end(), [&](const auto& c) {
                return c.name == s.camera;
            });
        const frame::Image& response = detectors_.at(camera.name).response;
        for (int i = 0; i < s.count; ++i) {
            const Moment m = momentOf(s, camera, series, i);
            frame::Image image(camera.width, camera.height);
            paintSky(image, s, camera, m);
            paintStars(image, s, camera, m);
            json bodies = paintBodies(image, s, camera, m);
            for (int y = 0; y < camera.height; ++y) {
                for (int x = 0; x < camera.width; ++x) {
                    const auto colour = static_cast<std::size_t>(bayerColour(camera, x, y));
                    const double share = camera.bayer.empty() ? 1.0 : kColourShare[colour];
                    image.at(x, y) *= static_cast<float>(share) * response.at(x, y);
                }
            }
            const NoiseHash hits = NoiseHash(scenario_.seed)
                                       .child(8000 + 1000 * series + static_cast<std::uint64_t>(i));
            const int hitCount =
                paintHits(image, s.cosmicsPerMinute * s.exposureSeconds / 60.0, hits);
            FrameStory story;
            story.kind = "light";
            story.start = m.start;
            story.exposureSeconds = s.exposureSeconds;
            story.measuredTemperature = camera.temperatureCelsius + 0.05 * ((i * 3) % 5 - 2);
            story.filter = camera.bayer.empty() ? s.filter : "";
            story.object = s.object;
            story.raDegrees = m.pointingRa;
            story.decDegrees = m.pointingDec;
            story.pointing = true;
            const auto path = out_ / "lights" / fmt::format("{}_{:03}.fits", s.name, i + 1);
            if (auto done = write(image, camera, story, path); !done) {
                return done;
            }
            const RaDec axis = toRaDec(m.optics.axis);
            truth_["frames"].push_back(json{{"file", "lights/" + path.filename().string()},
                                            {"t_mid_utc", toIso(m.middle, 4)},
                                            {"ra", axis.raDegrees},
                                            {"dec", axis.decDegrees},
                                            {"scale_arcsec", m.optics.arcsecPerPixel},
                                            {"rotation_deg", m.optics.rotationDegrees},
                                            {"mirrored", m.optics.mirrored},
                                            {"cubic", m.optics.cubic},
                                            {"fwhm_px", m.blur.fwhm},
                                            {"transparency", m.transparency},
                                            {"hits", hitCount},
                                            {"bodies", std::move(bodies)}});
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
