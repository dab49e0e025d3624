#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"
#include "core/base/time.h"

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::simulate {

/// A made-up night: what `pathmark simulate` reads (docs/file-formats.md lists the keys).
struct SiteScenario {
    std::string code;
    std::string name;
    double longitudeDegrees = 0.0;
    double latitudeDegrees = 0.0;
    double altitudeMetres = 0.0;
    std::string observer;
    std::string telescope;
    double apertureMetres = 0.4;
    double focalMillimetres = 1000.0;
};

struct CameraScenario {
    std::string name;
    int width = 0;
    int height = 0;
    double pixelMicrometres = 4.5;
    double electronsPerAdu = 1.0;
    double readNoiseElectrons = 4.0;
    double biasAdu = 500.0;
    double darkElectronsPerSecond = 0.02;
    double hotShare = 3e-4; ///< of all pixels
    double saturationAdu = 65535.0;
    int aduStep = 1; ///< files hold multiples of it: 16 for twelve bits scaled to sixteen
    int binning = 1; ///< as the header says; the size of the pixels is the binned one
    double temperatureCelsius = -10.0;
    std::string bayer;         ///< "RGGB" and its like; empty for mono
    std::string dialect = "a"; ///< header dialect: a, b or c
    double zeroPoint = 22.5;   ///< magnitude of one electron a second at colour 0.8
    double colourTerm = 0.03;
    // calibration frames
    int biases = 0;
    int darks = 0;
    double darkSeconds = 60.0;
    int flats = 0;
    double flatSeconds = 3.0;
    std::string flatFilter = "R";
    int flatDarks = 0;
};

struct SeriesScenario {
    std::string name;
    std::string camera;
    std::string object;
    double raDegrees = 0.0;
    double decDegrees = 0.0;
    std::string filter = "R";
    std::string band = "R"; ///< which star magnitude it sees: G, V or R
    double exposureSeconds = 60.0;
    int count = 1;
    Utc start;
    double cadenceSeconds = 70.0;
    double ditherArcsec = 20.0;
    double driftArcsecPerHour = 10.0;
    double rotationDegrees = 0.0; ///< position angle of +y
    bool mirrored = false;
    double fwhmArcsec = 2.6;
    double ellipticity = 0.05;
    double skyMag = 20.5;      ///< per square arcsecond
    double skyGradient = 0.05; ///< relative, corner to corner
    double cloud = 0.0;        ///< deepest loss, magnitudes
    double cosmicsPerMinute = 6.0;
    double pointingErrorArcsec = 60.0;  ///< of the header
    double distortionPixels = 2.0;      ///< at the corner, cubic
    double followArcsecPerMinute = 0.0; ///< the mount follows a motion: the stars trail
    double followAngleDegrees = 0.0;    ///< position angle of that motion
    double turnDegreesPerHour = 0.0;    ///< the field turns, as on a mount without derotation
    double clockErrorSeconds = 0.0;     ///< the headers' times are late by so much
    int shakenFrame = 0;                ///< this one, from 1, is drawn out
    double shakeArcsec = 0.0;           ///< by so much
    int satelliteFrame = 0;             ///< this one, from 1, is crossed by a bright line
    int dimFrame = 0;                   ///< before this one, from 1, a cloud came
    double dimMag = 0.0;                ///< which takes so much light
};

struct BodyScenario {
    std::string name;
    std::string packed;
    double epochJulian = 0.0; ///< TDB
    double perihelionAu = 0.0;
    double eccentricity = 0.0;
    double inclinationDegrees = 0.0;
    double nodeDegrees = 0.0;
    double argumentDegrees = 0.0;
    double meanAnomalyDegrees = 0.0;
    double h = 15.0;
    double g = 0.15;
    std::optional<double> m1; ///< a comet
    double k1 = 10.0;
    double comaArcsec = 20.0;
    bool known = true;          ///< false: in no orbit file and in no past observation
    double rotationHours = 0.0; ///< 0: its brightness does not change
    double amplitudeMag = 0.0;  ///< from the highest maximum to the lowest minimum of a rotation
    double blunderArcsec = 0.0; ///< by so much one of its past observations is wrong
};

struct FieldScenario {
    double raDegrees = 0.0;
    double decDegrees = 0.0;
    double radiusDegrees = 0.5;
    double starsPerSquareDegree = 9000.0; ///< to the faint limit
};

struct Scenario {
    std::uint64_t seed = 1;
    double faintestMag = 20.5;
    double brightestMag = 8.5;
    SiteScenario site;
    std::vector<FieldScenario> fields;
    std::vector<CameraScenario> cameras;
    std::vector<SeriesScenario> series;
    std::vector<BodyScenario> bodies;
    int extraOrbits = 200; ///< orbits elsewhere in the sky, to fill the orbit file
};

/// Errors   night.bad_recipe  not TOML, a missing or mistyped value, or a series without its camera
Result<Scenario> readScenario(const std::filesystem::path& path);

} // namespace pathmark::simulate
