#include "simulate/odd_night.h"

#include "simulate/body_motion.h"
#include "simulate/catalogue.h"
#include "simulate/noise_hash.h"
#include "simulate/optics.h"
#include "simulate/orbit_through.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::simulate {
namespace {

/// Draws in a fixed order: the same seed, the same night.
class Dice {
  public:
    explicit Dice(std::uint64_t seed) : hash_(NoiseHash(seed).child(31)) {}

    double uniform(double from, double to) { return from + (to - from) * hash_.uniform(draw_++); }

    /// Even in the logarithm.
    double decade(double from, double to) {
        return from * std::pow(to / from, hash_.uniform(draw_++));
    }

    int whole(int from, int to) {
        return std::min(to, from + static_cast<int>(uniform(0.0, to - from + 1.0)));
    }

    bool chance(double share) { return hash_.uniform(draw_++) < share; }

    template <typename Kind>
    Kind pick(const std::vector<Kind>& from) {
        return from[static_cast<std::size_t>(whole(0, static_cast<int>(from.size()) - 1))];
    }

  private:
    NoiseHash hash_;
    std::uint64_t draw_ = 0;
};

/// What one frame of the night can show: magnitudes from electrons.
struct Depth {
    double zeroPoint = 22.0;
    double seconds = 60.0;
    double skyElectrons = 400.0;
    double readNoise = 5.0;
    double fwhmPixels = 2.5;

    /// Of a point of that signal-to-noise. Source: King 1983, PASP 95, 163, pixels that count as noise.
    [[nodiscard]] double magnitudeAt(double snr) const {
        const double pixels = 2.27 * fwhmPixels * fwhmPixels + 3.0;
        const double noise = std::sqrt(pixels * (skyElectrons + readNoise * readNoise));
        const double electrons = snr * (0.5 * snr + std::sqrt(0.25 * snr * snr + noise * noise));
        return zeroPoint - 2.5 * std::log10(electrons / seconds);
    }
};

class NightDrawer {
  public:
    explicit NightDrawer(std::uint64_t seed) : seed_(seed), dice_(seed) {}

    OddNight draw() {
        night_.scenario.seed = seed_;
        night_.scenario.extraOrbits = 20;
        drawSite();
        drawCamera();
        drawField();
        drawSeries();
        drawBodies();
        drawFaults();
        return night_;
    }

  private:
    Scenario& scenario() { return night_.scenario; }

    CameraScenario& camera() { return night_.scenario.cameras.front(); }

    void tell(const std::string& words) {
        night_.story += (night_.story.empty() ? "" : ", ") + words;
    }

    void drawSite() {
        SiteScenario& site = scenario().site;
        site.code = "XXX";
        site.name = "Tern Ridge";
        site.longitudeDegrees = dice_.uniform(-180.0, 180.0);
        site.latitudeDegrees = dice_.uniform(-60.0, 60.0);
        site.altitudeMetres = dice_.uniform(0.0, 3500.0);
        site.observer = "I. Vellamo";
        site.telescope = "Reflector";
    }

    void drawCamera() {
        CameraScenario c;
        c.name = "Brack S1";
        c.width = 2 * dice_.whole(190, 270);
        c.height = 2 * dice_.whole(170, 230);
        c.dialect = dice_.pick<std::string>({"a", "b", "c"});
        c.binning = dice_.chance(0.2) ? 2 : 1;
        c.pixelMicrometres = dice_.uniform(3.0, 9.0) * c.binning;
        const int bits = dice_.pick<int>({12, 12, 14, 16, 16});
        c.saturationAdu = std::exp2(bits) - 1.0;
        c.aduStep = bits < 16 && dice_.chance(0.5) ? static_cast<int>(std::exp2(16 - bits)) : 1;
        c.biasAdu = 0.006 * c.saturationAdu + dice_.uniform(20.0, 120.0);
        const double fullWell = dice_.decade(12000.0, 90000.0);
        c.electronsPerAdu = fullWell / c.saturationAdu;
        c.readNoiseElectrons = dice_.decade(1.3, 12.0);
        c.darkElectronsPerSecond = dice_.decade(0.002, 0.3);
        c.temperatureCelsius = dice_.pick<double>({-20.0, -10.0, 0.0});
        if (dice_.chance(0.25)) {
            c.bayer = dice_.pick<std::string>({"RGGB", "BGGR", "GRBG", "GBRG"});
            if (c.bayer == "GBRG" && c.width % 4 == 0) {
                c.bayer = "GBGGRGRGRBGBGBGGRGGRGGBGBGBRGRGRGGBG"; // repeats after six pixels
            }
        }
        c.biases = dice_.chance(0.85) ? 3 : 0;
        c.darks = dice_.chance(0.75) ? 3 : 0;
        c.flats = dice_.chance(0.8) ? 3 : 0;
        c.zeroPoint = dice_.uniform(19.0, 24.0);
        scenario().cameras.push_back(c);
        tell(fmt::format("{}x{} {} bit{}{}, dialect {}",
                         c.width,
                         c.height,
                         bits,
                         c.aduStep > 1 ? " scaled" : "",
                         c.bayer.empty() ? "" : " " + c.bayer,
                         c.dialect));
    }

    void drawField() {
        const double scale = dice_.decade(0.35, 25.0);
        scenario().site.focalMillimetres = 206.26480624709636 * camera().pixelMicrometres / scale;
        FieldScenario field;
        const std::string kind =
            dice_.pick<std::string>({"plain", "plain", "pole", "0h", "Milky Way", "empty"});
        field.raDegrees = kind == "0h" ? std::fmod(dice_.uniform(359.95, 360.05), 360.0)
                                       : dice_.uniform(0.0, 360.0);
        field.decDegrees = kind == "pole"
                               ? dice_.pick<double>({-1.0, 1.0}) * dice_.uniform(87.0, 89.9)
                               : dice_.uniform(-55.0, 55.0);
        const double diagonal =
            std::hypot(camera().width, camera().height) * scale / 3600.0; // degrees
        field.radiusDegrees = 0.8 * diagonal + 0.02;
        const double inFrame = kind == "empty"       ? dice_.uniform(25.0, 60.0)
                               : kind == "Milky Way" ? dice_.uniform(1200.0, 2500.0)
                                                     : dice_.decade(70.0, 900.0);
        field.starsPerSquareDegree =
            inFrame / (camera().width * camera().height * scale * scale / 3600.0 / 3600.0);
        scenario().fields.push_back(field);
        scale_ = scale;
        tell(fmt::format("{:.2f}\"/px, {} at {:.2f} {:+.2f}, {:.0f} stars",
                         scale,
                         kind,
                         field.raDegrees,
                         field.decDegrees,
                         inFrame));
    }

    /// When the field is opposite the Sun, and highest.
    Utc drawStart(double raDegrees) {
        const int year = dice_.whole(2018, 2039);
        // The Sun stands at 0h in March.
        const double days =
            79.0 + 365.2422 * (raDegrees + 180.0 + dice_.uniform(-30.0, 30.0)) / 360.0;
        const Utc newYear = *parseUtc(fmt::format("{}-01-01T00:00:00", year));
        const double julian = std::floor(newYear.julian() + std::fmod(days, 365.2422)) + 0.5;
        // Greenwich mean sidereal time, Meeus 1998, ch. 12.
        const double sidereal = 280.46061837 + 360.98564736629 * (julian - 2451545.0);
        const double wait = raDegrees - scenario().site.longitudeDegrees - sidereal;
        const double turns = wait / 360.0 - std::floor(wait / 360.0);
        return Utc::julian(julian, turns / 1.00273790935 - 0.02);
    }

    void drawSeries() {
        const FieldScenario& field = scenario().fields.front();
        SeriesScenario s;
        s.camera = camera().name;
        s.object = "Field 17";
        s.raDegrees = field.raDegrees;
        s.decDegrees = field.decDegrees;
        const auto filter = dice_.pick<std::pair<std::string, std::string>>(
            {{"R", "R"}, {"V", "V"}, {"Clear", "G"}, {"Lum", "G"}});
        s.filter = filter.first;
        s.band = camera().bayer.empty() ? filter.second : "V";
        camera().flatFilter = s.filter;
        s.exposureSeconds = dice_.pick<double>({10.0, 30.0, 60.0, 120.0});
        camera().darkSeconds = s.exposureSeconds;
        s.cadenceSeconds = s.exposureSeconds + dice_.uniform(2.0, 20.0);
        s.start = drawStart(field.raDegrees);
        s.rotationDegrees = dice_.uniform(0.0, 360.0);
        s.mirrored = dice_.chance(0.4);
        // Sensors whose colours repeat after six pixels have small ones.
        const double pixels = camera().bayer.size() == 36 ? 1.8 : 1.0;
        s.fwhmArcsec = pixels * dice_.uniform(1.9, 3.6) * scale_;
        s.ellipticity = dice_.uniform(0.0, 0.15);
        s.ditherArcsec = dice_.uniform(1.0, 12.0) * scale_;
        s.driftArcsecPerHour = dice_.uniform(0.0, 15.0) * scale_;
        s.cosmicsPerMinute = dice_.uniform(0.0, 6.0);
        s.pointingErrorArcsec = dice_.uniform(0.0, 0.2 * camera().width) * scale_;
        s.distortionPixels = dice_.uniform(-2.5, 2.5);
        s.skyGradient = dice_.uniform(0.0, 0.25);
        const double area = scale_ * scale_;
        depth_ = {camera().zeroPoint,
                  s.exposureSeconds,
                  dice_.decade(60.0, 0.08 * camera().saturationAdu * camera().electronsPerAdu),
                  camera().readNoiseElectrons,
                  s.fwhmArcsec / scale_};
        s.skyMag =
            camera().zeroPoint - 2.5 * std::log10(depth_.skyElectrons / (s.exposureSeconds * area));
        scenario().faintestMag = depth_.magnitudeAt(2.5);
        scenario().brightestMag = scenario().faintestMag - dice_.uniform(6.5, 9.0);
        const int visits = dice_.whole(1, 3);
        const int each = visits == 1 ? dice_.whole(4, 7) : dice_.whole(2, 4);
        s.count = each;
        if (dice_.chance(0.15)) {
            s.turnDegreesPerHour = dice_.uniform(-20.0, 20.0);
            tell("turning");
        }
        const double gap = visits > 1 ? dice_.uniform(900.0, 4000.0) : 0.0;
        for (int visit = 0; visit < visits; ++visit) {
            s.name = fmt::format("visit{}", visit + 1);
            if (visit > 0) {
                s.start = scenario().series.front().start.plusSeconds(visit * gap);
            }
            if (visit == 1 && dice_.chance(0.4)) {
                s.rotationDegrees += 180.0;
                tell("flipped");
            }
            scenario().series.push_back(s);
        }
        const double across = camera().width * scale_ / 3600.0; // degrees
        if (dice_.chance(0.25) && std::abs(field.decDegrees) < 80.0) {
            addSecondTarget(across);
        }
        tell(fmt::format(
            "{} visits of {}, {:.0f} s in {}", visits, each, s.exposureSeconds, s.filter));
    }

    /// Another field beside the first, taken after it.
    void addSecondTarget(double across) {
        SeriesScenario s = scenario().series.front();
        FieldScenario field = scenario().fields.front();
        field.decDegrees += (field.decDegrees > 0.0 ? -3.0 : 3.0) * across;
        s.decDegrees = field.decDegrees;
        s.object = "Field 18";
        s.name = "second";
        s.start = scenario().series.back().start.plusSeconds((scenario().series.back().count + 1) *
                                                             s.cadenceSeconds);
        s.count = 3;
        scenario().fields.push_back(field);
        scenario().series.push_back(s);
        tell("two targets");
    }

    /// A body on the way through the first field.
    BodyScenario drawOrbit(const OrbitWish& wish, double snr) {
        const SeriesScenario& first = scenario().series.front();
        const SeriesScenario& last = scenario().series.back();
        const Utc middle = first.start.plusSeconds(0.5 * last.start.secondsSince(first.start));
        BodyScenario body = orbitThrough(wish, middle);
        body.h = 0.0;
        const double shift = seeBody(body, scenario().site, middle).magnitudeV;
        const double inBand = bodyMagnitude(0.0, first.band);
        body.h = depth_.magnitudeAt(snr) - shift - inBand;
        return body;
    }

    OrbitWish placeInField(double margin) {
        const FieldScenario& field = scenario().fields.front();
        const double x = dice_.uniform(-margin, margin) * camera().width * scale_;
        const double y = dice_.uniform(-margin, margin) * camera().height * scale_;
        // Near a pole degrees of right ascension shrink: through unit vectors.
        const Vec3 centre = unitVector(field.raDegrees, field.decDegrees);
        const auto [east, north] = axesAt(centre);
        const Vec3 v = centre + (x * kRadiansPerDegree / 3600.0) * east +
                       (y * kRadiansPerDegree / 3600.0) * north;
        const RaDec place = toRaDec((1.0 / norm(v)) * v);
        OrbitWish wish;
        wish.raDegrees = place.raDegrees;
        wish.decDegrees = place.decDegrees;
        return wish;
    }

    void drawBodies() {
        static const std::vector<std::pair<const char*, const char*>> names{
            {"(2711043)", "~8lyV"}, {"2033 TK4", "K33T04K"}, {"2031 AB12", "K31A12B"}};
        const int main = dice_.whole(0, 3);
        for (int k = 0; k < main; ++k) {
            OrbitWish wish = placeInField(0.3);
            wish.distanceAu = dice_.uniform(0.9, 2.4);
            wish.speed = dice_.uniform(0.9, 1.1);
            wish.climbDegrees = dice_.uniform(-8.0, 8.0);
            wish.turnDegrees = dice_.uniform(-15.0, 15.0);
            BodyScenario body = drawOrbit(wish, dice_.decade(4.0, 300.0));
            body.name = names[static_cast<std::size_t>(k)].first;
            body.packed = names[static_cast<std::size_t>(k)].second;
            scenario().bodies.push_back(body);
        }
        if (dice_.chance(0.3)) {
            OrbitWish wish = placeInField(0.2);
            // Nearer ones feel the Earth's pull within a day.
            wish.distanceAu = dice_.decade(0.12, 0.6);
            wish.speed = dice_.uniform(0.85, 1.25);
            wish.climbDegrees = dice_.uniform(-25.0, 25.0);
            wish.turnDegrees = dice_.uniform(-30.0, 30.0);
            BodyScenario body = drawOrbit(wish, dice_.decade(8.0, 200.0));
            body.known = dice_.chance(0.5);
            body.name = body.known ? "2034 EQ7" : "unknown";
            body.packed = body.known ? "K34E07Q" : "";
            scenario().bodies.push_back(body);
            tell(body.known ? "near-Earth" : "unknown near-Earth");
        }
        if (dice_.chance(0.2)) {
            drawComet();
        }
        tell(fmt::format("{} bodies", scenario().bodies.size()));
    }

    void drawComet() {
        OrbitWish wish = placeInField(0.15);
        wish.distanceAu = dice_.uniform(0.7, 1.8);
        wish.speed = dice_.uniform(1.1, 1.36);
        wish.climbDegrees = dice_.uniform(-30.0, 30.0);
        wish.turnDegrees = dice_.uniform(-60.0, 60.0);
        BodyScenario body = drawOrbit(wish, dice_.decade(150.0, 1500.0));
        const SeriesScenario& first = scenario().series.front();
        const BodySight sight = seeBody(body, scenario().site, first.start);
        body.k1 = 10.0;
        body.m1 = sight.magnitudeV - 5.0 * std::log10(sight.distanceAu) -
                  body.k1 * std::log10(sight.sunDistanceAu);
        body.comaArcsec = dice_.uniform(4.0, 14.0) * scale_;
        body.name = "C/2033 T4";
        body.packed = "CK33T040";
        const double rate = followed(body, first);
        if (dice_.chance(0.4) && rate * first.exposureSeconds / 60.0 / scale_ < 12.0) {
            tell("the mount follows it");
        } else {
            for (SeriesScenario& s : scenario().series) {
                s.followArcsecPerMinute = 0.0;
            }
        }
        scenario().bodies.push_back(body);
        tell("comet");
    }

    /// Makes the mount follow a body in all series; its rate in arcsec a minute.
    double followed(const BodyScenario& body, const SeriesScenario& first) {
        const Vec3 a = seeBody(body, scenario().site, first.start).direction;
        const Vec3 b = seeBody(body, scenario().site, first.start.plusSeconds(600.0)).direction;
        const auto [east, north] = axesAt(a);
        const double toEast = dot(b - a, east) * 206264.806 / 10.0;
        const double toNorth = dot(b - a, north) * 206264.806 / 10.0;
        for (SeriesScenario& s : scenario().series) {
            s.followArcsecPerMinute = std::hypot(toEast, toNorth);
            s.followAngleDegrees = std::atan2(toEast, toNorth) / kRadiansPerDegree;
        }
        return std::hypot(toEast, toNorth);
    }

    void drawFaults() {
        const int wanted = dice_.whole(2, 3);
        while (static_cast<int>(night_.faults.size()) < wanted) {
            const auto fault = static_cast<OddFault>(dice_.whole(0, kOddFaults - 1));
            if (std::find(night_.faults.begin(), night_.faults.end(), fault) ==
                night_.faults.end()) {
                night_.faults.push_back(fault);
                if (!inScenario(fault)) {
                    tell(wordOf(fault));
                }
            }
        }
    }

    /// Does what of a fault is the sky's or the telescope's, and tells it.
    bool inScenario(OddFault fault) {
        auto& series = scenario().series;
        SeriesScenario& one =
            series[static_cast<std::size_t>(dice_.whole(0, static_cast<int>(series.size()) - 1))];
        const int frame = dice_.whole(1, one.count);
        switch (fault) {
        case OddFault::WrongHint: {
            const double off = dice_.uniform(1.0, 4.0) * camera().width * scale_;
            for (SeriesScenario& s : series) {
                s.pointingErrorArcsec = off;
            }
            tell(fmt::format("wrong hint ({:.1f} deg)", off / 3600.0));
            return true;
        }
        case OddFault::Cloud:
            one.dimFrame = frame;
            one.dimMag = dice_.uniform(1.0, 6.0);
            tell(fmt::format("cloud of {:.1f} mag in {}_{:03}", one.dimMag, one.name, frame));
            return true;
        case OddFault::Shaken:
            one.shakenFrame = frame;
            one.shakeArcsec = dice_.uniform(3.0, 20.0) * scale_;
            tell(fmt::format(
                "{}_{:03} shaken by {:.1f} px", one.name, frame, one.shakeArcsec / scale_));
            return true;
        case OddFault::Satellite:
            one.satelliteFrame = frame;
            tell(fmt::format("satellite in {}_{:03}", one.name, frame));
            return true;
        case OddFault::WrongClock:
            night_.clockErrorSeconds = dice_.uniform(-90.0, 90.0);
            for (SeriesScenario& s : series) {
                s.clockErrorSeconds = night_.clockErrorSeconds;
            }
            tell(fmt::format("clock {:+.1f} s", night_.clockErrorSeconds));
            return true;
        case OddFault::OldOrbit:
            night_.orbitErrorArcsec = dice_.decade(1.0, 60.0);
            tell(fmt::format("orbits {:.0f}\" out", night_.orbitErrorArcsec));
            return true;
        default: return false;
        }
    }

    std::uint64_t seed_;
    Dice dice_;
    OddNight night_;
    Depth depth_;
    double scale_ = 1.0;
};

} // namespace

OddNight drawOddNight(std::uint64_t seed) {
    return NightDrawer(seed).draw();
}

} // namespace pathmark::simulate
