#include "simulate/scenario.h"

#include "core/base/toml.h"
#include "core/base/whole_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace pathmark::simulate {
namespace {

/// Takes keys out of a table into members; what is left over at the end nobody knows.
class Table {
  public:
    Table(const Toml& value, std::string where) : table_(value.table()), where_(std::move(where)) {}

    void take(const char* key, double& into) {
        if (const Toml* v = find(key)) {
            into = v->number();
        }
    }

    void take(const char* key, int& into) {
        if (const Toml* v = find(key)) {
            into = v->whole();
        }
    }

    void take(const char* key, bool& into) {
        if (const Toml* v = find(key)) {
            into = v->flag();
        }
    }

    void take(const char* key, std::string& into) {
        if (const Toml* v = find(key)) {
            into = v->text();
        }
    }

    void take(const char* key, std::optional<double>& into) {
        if (table_.count(key) != 0) {
            double value = 0.0;
            take(key, value);
            into = value;
        }
    }

    void take(const char* key, Utc& into) {
        std::string text;
        take(key, text);
        const auto time = parseUtc(text);
        if (!time) {
            throw std::runtime_error(where_ + ": " + time.error().detail);
        }
        into = *time;
    }

    void finish() const {
        for (const auto& [key, ignored] : table_) {
            if (std::find(taken_.begin(), taken_.end(), key) == taken_.end()) {
                throw std::runtime_error(fmt::format("{} knows no key '{}'", where_, key));
            }
        }
    }

  private:
    const Toml* find(const char* key) {
        taken_.emplace_back(key);
        const auto found = table_.find(key);
        return found == table_.end() ? nullptr : &found->second;
    }

    const std::map<std::string, Toml>& table_;
    std::string where_;
    std::vector<std::string> taken_;
};

void read(Table& t, SiteScenario& s) {
    t.take("code", s.code);
    t.take("name", s.name);
    t.take("longitude_deg", s.longitudeDegrees);
    t.take("latitude_deg", s.latitudeDegrees);
    t.take("altitude_m", s.altitudeMetres);
    t.take("observer", s.observer);
    t.take("telescope", s.telescope);
    t.take("aperture_m", s.apertureMetres);
    t.take("focal_mm", s.focalMillimetres);
}

void read(Table& t, FieldScenario& f) {
    t.take("ra_deg", f.raDegrees);
    t.take("dec_deg", f.decDegrees);
    t.take("radius_deg", f.radiusDegrees);
    t.take("stars_per_square_degree", f.starsPerSquareDegree);
}

void read(Table& t, CameraScenario& c) {
    t.take("name", c.name);
    t.take("width", c.width);
    t.take("height", c.height);
    t.take("pixel_um", c.pixelMicrometres);
    t.take("gain_e_per_adu", c.electronsPerAdu);
    t.take("read_noise_e", c.readNoiseElectrons);
    t.take("bias_adu", c.biasAdu);
    t.take("dark_e_per_s", c.darkElectronsPerSecond);
    t.take("hot_share", c.hotShare);
    t.take("saturation_adu", c.saturationAdu);
    t.take("adu_step", c.aduStep);
    t.take("binning", c.binning);
    t.take("temperature_c", c.temperatureCelsius);
    t.take("bayer", c.bayer);
    t.take("dialect", c.dialect);
    t.take("zero_point", c.zeroPoint);
    t.take("colour_term", c.colourTerm);
    t.take("biases", c.biases);
    t.take("darks", c.darks);
    t.take("dark_s", c.darkSeconds);
    t.take("flats", c.flats);
    t.take("flat_s", c.flatSeconds);
    t.take("flat_filter", c.flatFilter);
    t.take("flat_darks", c.flatDarks);
}

void read(Table& t, SeriesScenario& s) {
    t.take("name", s.name);
    t.take("camera", s.camera);
    t.take("object", s.object);
    t.take("ra_deg", s.raDegrees);
    t.take("dec_deg", s.decDegrees);
    t.take("filter", s.filter);
    t.take("band", s.band);
    t.take("exposure_s", s.exposureSeconds);
    t.take("count", s.count);
    t.take("start", s.start);
    t.take("cadence_s", s.cadenceSeconds);
    t.take("dither_arcsec", s.ditherArcsec);
    t.take("drift_arcsec_per_hour", s.driftArcsecPerHour);
    t.take("rotation_deg", s.rotationDegrees);
    t.take("mirrored", s.mirrored);
    t.take("fwhm_arcsec", s.fwhmArcsec);
    t.take("ellipticity", s.ellipticity);
    t.take("sky_mag", s.skyMag);
    t.take("sky_gradient", s.skyGradient);
    t.take("cloud_mag", s.cloud);
    t.take("cosmics_per_minute", s.cosmicsPerMinute);
    t.take("pointing_error_arcsec", s.pointingErrorArcsec);
    t.take("distortion_px", s.distortionPixels);
    t.take("follow_arcsec_per_min", s.followArcsecPerMinute);
    t.take("follow_angle_deg", s.followAngleDegrees);
    t.take("turn_deg_per_hour", s.turnDegreesPerHour);
    t.take("clock_error_s", s.clockErrorSeconds);
    t.take("shaken_frame", s.shakenFrame);
    t.take("shake_arcsec", s.shakeArcsec);
    t.take("satellite_frame", s.satelliteFrame);
    t.take("dim_frame", s.dimFrame);
    t.take("dim_mag", s.dimMag);
}

void read(Table& t, BodyScenario& b) {
    t.take("name", b.name);
    t.take("packed", b.packed);
    t.take("epoch_jd_tdb", b.epochJulian);
    t.take("q_au", b.perihelionAu);
    t.take("e", b.eccentricity);
    t.take("i_deg", b.inclinationDegrees);
    t.take("node_deg", b.nodeDegrees);
    t.take("peri_deg", b.argumentDegrees);
    t.take("m_deg", b.meanAnomalyDegrees);
    t.take("h", b.h);
    t.take("g", b.g);
    t.take("m1", b.m1);
    t.take("k1", b.k1);
    t.take("coma_arcsec", b.comaArcsec);
    t.take("known", b.known);
    t.take("rotation_h", b.rotationHours);
    t.take("amplitude_mag", b.amplitudeMag);
    t.take("blunder_arcsec", b.blunderArcsec);
}

template <typename Part>
void readAll(const Toml& root, const char* key, std::vector<Part>& into) {
    if (!root.contains(key)) {
        return;
    }
    for (const Toml& entry : root.at(key).list()) {
        Table table(entry, std::string("[[") + key + "]]");
        Part part;
        read(table, part);
        table.finish();
        into.push_back(std::move(part));
    }
}

void checkNames(const Toml& root) {
    constexpr std::array known{"seed",
                               "faintest_mag",
                               "brightest_mag",
                               "extra_orbits",
                               "site",
                               "field",
                               "camera",
                               "series",
                               "body"};
    for (const auto& [key, ignored] : root.table()) {
        if (std::find(known.begin(), known.end(), key) == known.end()) {
            throw std::runtime_error(fmt::format("a scenario knows no key '{}'", key));
        }
    }
}

void check(const Scenario& scenario) {
    for (const SeriesScenario& series : scenario.series) {
        if (std::none_of(scenario.cameras.begin(), scenario.cameras.end(), [&](const auto& c) {
                return c.name == series.camera;
            })) {
            throw std::runtime_error("series '" + series.name + "' has no [[camera]] '" +
                                     series.camera + "'");
        }
    }
    for (const CameraScenario& camera : scenario.cameras) {
        if (camera.width < 64 || camera.height < 64 || !(camera.electronsPerAdu > 0.0)) {
            throw std::runtime_error("camera '" + camera.name +
                                     "' needs a size of 64 pixels or more and a gain");
        }
    }
    for (const BodyScenario& body : scenario.bodies) {
        if (!(body.perihelionAu > 0.0) || body.eccentricity < 0.0 || body.eccentricity >= 1.0) {
            throw std::runtime_error("body '" + body.name +
                                     "' needs q_au above 0 and an eccentricity below 1");
        }
    }
}

} // namespace

Result<Scenario> readScenario(const std::filesystem::path& path) {
    try {
        const auto text = readWholeFile(path);
        if (!text) {
            return fail(ErrorId::NightBadRecipe, "The scenario cannot be read.", path.string());
        }
        const Toml root = Toml::parse(*text, path.string());
        checkNames(root);
        Scenario scenario;
        const Toml* seed = root.find("seed");
        scenario.seed = seed != nullptr ? static_cast<std::uint64_t>(seed->whole()) : 1;
        const auto number = [&](const char* key, double& into) {
            if (const Toml* value = root.find(key)) {
                into = value->number();
            }
        };
        number("faintest_mag", scenario.faintestMag);
        number("brightest_mag", scenario.brightestMag);
        if (const Toml* extra = root.find("extra_orbits")) {
            scenario.extraOrbits = extra->whole();
        }
        if (root.contains("site")) {
            Table site(root.at("site"), "[site]");
            read(site, scenario.site);
            site.finish();
        }
        readAll(root, "field", scenario.fields);
        readAll(root, "camera", scenario.cameras);
        readAll(root, "series", scenario.series);
        readAll(root, "body", scenario.bodies);
        check(scenario);
        return scenario;
    } catch (const std::exception& error) {
        return fail(ErrorId::NightBadRecipe,
                    std::string("Cannot be read as a scenario: ") + error.what() + ".",
                    path.string());
    }
}

} // namespace pathmark::simulate
