#pragma once

#include "core/catalog/import.h"
#include "simulate/night.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>

namespace pathmark::test_support {

/// A made-up night of a third of a megapixel: six lights with a flip between, one bright numbered body and one that
/// only a stack shows, and one that no list knows.
inline simulate::Scenario smallScenario() {
    simulate::Scenario s;
    s.seed = 5;
    s.faintestMag = 19.5;
    s.extraOrbits = 50;
    s.site.code = "XXX";
    s.site.name = "Tern Ridge";
    s.site.longitudeDegrees = 23.4127;
    s.site.latitudeDegrees = -31.2086;
    s.site.altitudeMetres = 1374.0;
    s.site.focalMillimetres = 900.0;
    s.fields.push_back({177.24, 2.33, 0.2, 16000.0});
    simulate::CameraScenario camera;
    camera.name = "Brack S1";
    camera.width = 640;
    camera.height = 512;
    camera.pixelMicrometres = 4.63;
    camera.electronsPerAdu = 0.83;
    camera.biases = 5;
    camera.darks = 5;
    camera.flats = 5;
    s.cameras.push_back(camera);
    simulate::SeriesScenario series;
    series.name = "east";
    series.camera = camera.name;
    series.object = "Small field";
    series.raDegrees = 177.24;
    series.decDegrees = 2.33;
    series.count = 3;
    series.start = *parseUtc("2034-03-17T22:20:00");
    series.ditherArcsec = 6.0;
    series.rotationDegrees = 2.0;
    series.pointingErrorArcsec = 40.0;
    series.distortionPixels = 0.5;
    s.series.push_back(series);
    series.name = "west";
    series.start = *parseUtc("2034-03-17T22:36:00");
    series.rotationDegrees = 182.0;
    s.series.push_back(series);
    simulate::BodyScenario body;
    body.name = "(2711043)";
    body.packed = "~8lyV";
    body.epochJulian = 2464041.5;
    body.perihelionAu = 2.0394929;
    body.eccentricity = 0.07888152715651466;
    body.inclinationDegrees = 4.037992052612758;
    body.nodeDegrees = 168.2385628541494;
    body.argumentDegrees = 227.06138583047348;
    body.meanAnomalyDegrees = 136.14689214;
    body.h = 13.7;
    s.bodies.push_back(body);
    // On nearly the same orbit, a little behind and far fainter.
    body.name = "2034 EW2";
    body.packed = "K34E02W";
    body.meanAnomalyDegrees += 0.012;
    body.h = 17.9;
    s.bodies.push_back(body);
    // In no list of orbits: near the Earth, four times as fast.
    body.name = "unknown";
    body.packed.clear();
    body.known = false;
    body.perihelionAu = 1.0110;
    body.eccentricity = 0.2405074840540175;
    body.inclinationDegrees = 11.135;
    body.nodeDegrees = 176.11556023606153;
    body.argumentDegrees = 72.58526914357707;
    body.meanAnomalyDegrees = 314.07289;
    body.h = 21.6;
    s.bodies.push_back(body);
    return s;
}

/// The small night's fast body as a comet that lists know.
inline simulate::BodyScenario smallComet(double m1) {
    simulate::BodyScenario comet = smallScenario().bodies.back();
    comet.name = "C/2034 E4";
    comet.packed = "CK34E040";
    comet.known = true;
    comet.m1 = m1;
    comet.comaArcsec = 20.0;
    return comet;
}

/// The least that a whole run can be made of: two visits of two small frames, a bright body and a faint one.
inline simulate::Scenario tinyScenario() {
    simulate::Scenario s = smallScenario();
    s.extraOrbits = 5;
    s.cameras.front().width = 420;
    s.cameras.front().height = 360;
    s.cameras.front().biases = 3;
    s.cameras.front().darks = 3;
    s.cameras.front().flats = 3;
    for (auto& series : s.series) {
        series.count = 2;
    }
    s.bodies.pop_back();
    return s;
}

inline const char* smallRecipe() {
    return "[site]\ncode = 'XXX'\nlongitude_deg = 23.4127\nlatitude_deg = -31.2086\naltitude_m = "
           "1374.0\n"
           "[catalog]\nstore = 'catalog'\nname = 'small'\n"
           "[orbits]\nfiles = ['orbits/orbits.json', 'orbits/minor-planets.txt']\n"
           "observations = ['past-observations.txt']\n"
           "[stack]\nfaint_groups = 1\n"
           "[report]\nobserver = 'I. Vellamo'\nmeasurer = 'O. Tamsin'\ntelescope = "
           "'Reflector'\ndetector = 'CMO'\n";
}

/// Makes the night with its star catalogue and its recipe.
inline void makeNight(const std::filesystem::path& folder, const simulate::Scenario& scenario) {
    ASSERT_TRUE(simulate::simulateNight(scenario, folder, {}));
    const auto stars =
        catalog::importTables({folder / "catalog" / "stars.csv"}, folder / "catalog", "small", {});
    ASSERT_TRUE(stars);
    ASSERT_GT(stars->store.stars, 0U);
    std::ofstream(folder / "recipe.toml") << smallRecipe();
}

/// The same from a copy that is made once for all tests of a process.
template <auto scenario>
void copyNight(const std::filesystem::path& folder) {
    static const TemporaryFolder made;
    static const bool isMade = [] {
        makeNight(made.path() / "night", scenario());
        return !testing::Test::HasFatalFailure();
    }();
    ASSERT_TRUE(isMade);
    std::filesystem::copy(made.path() / "night", folder, std::filesystem::copy_options::recursive);
}

inline void makeSmallNight(const std::filesystem::path& folder) {
    copyNight<smallScenario>(folder);
}

inline void makeTinyNight(const std::filesystem::path& folder) {
    copyNight<tinyScenario>(folder);
}

} // namespace pathmark::test_support
