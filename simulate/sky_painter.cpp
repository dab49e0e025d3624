#include "simulate/sky_painter.h"

#include "simulate/body_motion.h"
#include "simulate/camera.h"

#include <nlohmann/json.hpp>

#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

/// Electrons in a plane for one in a mono camera: by the slope of a black body's light over the band.
double planeShare(std::size_t plane, double colour) {
    constexpr std::array<double, 3> slope{
        0.35, 0.0, -0.45}; // magnitudes brighter for each of BP - RP
    return kColourShare[plane] * std::pow(10.0, 0.4 * slope[plane] * (colour - 0.8));
}

class LightPainter {
  public:
    LightPainter(const Scenario& scenario, std::size_t series, const Exposure& exposure)
        : scenario_(scenario), series_(scenario.series[series]),
          camera_(cameraOf(scenario, series_)), exposure_(exposure) {}

    /// The light of one plane; for mono cameras the only one, of number 1.
    frame::Image plane(std::size_t number, const std::vector<SimStar>& stars) const {
        frame::Image image(camera_.width, camera_.height);
        const bool mono = camera_.bayer.empty();
        paintSky(image, mono ? 1.0 : kColourShare[number]);
        const Vec3 earth = earthPlace(exposure_.middle);
        for (const SimStar& star : stars) {
            const Vec3 direction = star.direction(exposure_.middle, earth);
            const double share = mono ? 1.0 : planeShare(number, star.colour);
            paintStar(
                image,
                direction,
                share * exposure_.electronsOf(camera_, star.magnitude(series_.band), star.colour));
        }
        for (const BodyScenario& body : scenario_.bodies) {
            paintBody(image, body, mono ? 1.0 : planeShare(number, kBodyColour));
        }
        return image;
    }

    /// What of a body is seen in the frame's surroundings, if anything.
    struct Sight {
        BodySight middle;
        Optics::Pixel at;
        Optics::Pixel from;
        Optics::Pixel to;
        double magnitude = 0.0;
        double electrons = 0.0;
    };

    std::optional<Sight> sightOf(const BodyScenario& body) const {
        Sight sight;
        sight.middle = seeBody(body, scenario_.site, exposure_.middle);
        const auto at = exposure_.optics.place(sight.middle.direction);
        if (!at || !isNear(*at, 200.0)) {
            return std::nullopt;
        }
        const auto from =
            exposure_.opticsFirst.place(seeBody(body, scenario_.site, exposure_.start).direction);
        const auto to = exposure_.opticsLast.place(
            seeBody(body, scenario_.site, exposure_.start.plusSeconds(exposure_.seconds))
                .direction);
        if (!from || !to) {
            return std::nullopt;
        }
        sight.at = *at;
        sight.from = *from;
        sight.to = *to;
        sight.magnitude = bodyMagnitude(sight.middle.magnitudeV, series_.band);
        sight.electrons = exposure_.electronsOf(camera_, sight.magnitude, kBodyColour);
        return sight;
    }

    bool isInside(const Optics::Pixel& p) const {
        return p.x >= 0.0 && p.y >= 0.0 && p.x < camera_.width && p.y < camera_.height;
    }

  private:
    bool isNear(const Optics::Pixel& p, double margin) const {
        return p.x > -margin && p.y > -margin && p.x < camera_.width + margin &&
               p.y < camera_.height + margin;
    }

    void paintSky(frame::Image& image, double share) const {
        const double area = exposure_.optics.arcsecPerPixel * exposure_.optics.arcsecPerPixel;
        const double level = share * exposure_.seconds * area *
                             std::pow(10.0, 0.4 * (camera_.zeroPoint - series_.skyMag));
        for (int y = 0; y < camera_.height; ++y) {
            for (int x = 0; x < camera_.width; ++x) {
                const double slope =
                    series_.skyGradient * (static_cast<double>(x) / camera_.width +
                                           static_cast<double>(y) / camera_.height - 1.0);
                image.at(x, y) = static_cast<float>(level * (1.0 + 0.5 * slope));
            }
        }
    }

    void paintStar(frame::Image& image, const Vec3& direction, double electrons) const {
        const auto p = exposure_.optics.place(direction);
        if (!p || !isNear(*p, 80.0)) {
            return;
        }
        const auto from = exposure_.opticsFirst.place(direction);
        const auto to = exposure_.opticsLast.place(direction);
        if (from && to && std::hypot(to->x - from->x, to->y - from->y) > 0.05) {
            paintTrail(image, exposure_.blur, from->x, from->y, to->x, to->y, electrons);
        } else {
            paintPoint(image, exposure_.blur, p->x, p->y, electrons);
        }
    }

    void paintBody(frame::Image& image, const BodyScenario& body, double share) const {
        const auto sight = sightOf(body);
        if (!sight) {
            return;
        }
        if (!body.m1) {
            paintTrail(image,
                       exposure_.blur,
                       sight->from.x,
                       sight->from.y,
                       sight->to.x,
                       sight->to.y,
                       share * sight->electrons);
            return;
        }
        // The tail points away from the Sun as projected on the sky.
        const Vec3 ahead = sight->middle.direction + 1e-4 * sight->middle.awayFromSun;
        const auto tip = exposure_.optics.place((1.0 / norm(ahead)) * ahead);
        const double dx = tip->x - sight->at.x;
        const double dy = tip->y - sight->at.y;
        const double length = std::max(1e-9, std::hypot(dx, dy));
        const CometForm form{
            body.comaArcsec / exposure_.optics.arcsecPerPixel, dx / length, dy / length};
        const double trail = std::hypot(sight->to.x - sight->from.x, sight->to.y - sight->from.y);
        const int steps = std::max(1, static_cast<int>(std::ceil(2.0 * trail)));
        for (int k = 0; k < steps; ++k) {
            const double t = (k + 0.5) / steps;
            paintComet(image,
                       exposure_.blur,
                       sight->from.x + t * (sight->to.x - sight->from.x),
                       sight->from.y + t * (sight->to.y - sight->from.y),
                       share * sight->electrons / steps,
                       form);
        }
    }

    const Scenario& scenario_;
    const SeriesScenario& series_;
    const CameraScenario& camera_;
    const Exposure& exposure_;
};

} // namespace

frame::Image paintLight(const Scenario& scenario,
                        std::size_t series,
                        const Exposure& exposure,
                        const std::vector<SimStar>& stars) {
    const CameraScenario& camera = cameraOf(scenario, scenario.series[series]);
    const LightPainter painter(scenario, series, exposure);
    frame::Image image = painter.plane(1, stars);
    if (camera.bayer.empty()) {
        return image;
    }
    for (const std::size_t number : {std::size_t{0}, std::size_t{2}}) {
        const frame::Image other = painter.plane(number, stars);
        for (int y = 0; y < camera.height; ++y) {
            for (int x = 0; x < camera.width; ++x) {
                if (bayerColour(camera, x, y) == static_cast<int>(number)) {
                    image.at(x, y) = other.at(x, y);
                }
            }
        }
    }
    return image;
}

nlohmann::json trueBodies(const Scenario& scenario, std::size_t series, const Exposure& exposure) {
    const LightPainter painter(scenario, series, exposure);
    nlohmann::json truth = nlohmann::json::object();
    for (const BodyScenario& body : scenario.bodies) {
        const auto sight = painter.sightOf(body);
        if (!sight) {
            continue;
        }
        const RaDec place = toRaDec(sight->middle.direction);
        truth[body.name] = nlohmann::json{
            {"ra", place.raDegrees},
            {"dec", place.decDegrees},
            {"x", sight->at.x + 1.0},
            {"y", sight->at.y + 1.0},
            {"mag", sight->magnitude},
            {"flux_e", sight->electrons},
            {"r_au", sight->middle.sunDistanceAu},
            {"delta_au", sight->middle.distanceAu},
            {"trail_px", std::hypot(sight->to.x - sight->from.x, sight->to.y - sight->from.y)},
            {"inside", painter.isInside(sight->at)}};
    }
    return truth;
}

} // namespace pathmark::simulate
