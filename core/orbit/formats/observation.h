#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"

#include <array>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace pathmark::orbit {

/// The place of an observer that no observatory code tells.
struct ObserverPlace {
    /// A spacecraft: geocentric, ICRS axes, kilometres.
    std::optional<Vec3> geocentricKilometres;
    /// A traveller: east longitude, latitude, metres above the ellipsoid.
    std::optional<std::array<double, 3>> geodetic;
};

/// A radar measurement: recognised and kept, not used in a fit.
struct RadarReturn {
    std::string firstLine; ///< both lines as they stood
    std::string secondLine;
};

/// One place of a body on the sky as somebody reported it.
struct Observation {
    std::string body;    ///< readable designation; the observer's own name where there is none yet
    std::string ownName; ///< the observer's own (tracklet) name, may be empty
    Utc time;            ///< middle of the exposure
    SkyPos sky;          ///< astrometric, ICRS
    std::string station; ///< observatory code
    std::string mode; ///< ADES mode: "CCD", "CMO", "PHO", ...; from an 80-column line its letter's
    std::string band; ///< of the magnitude, may be empty
    std::string starCatalogue; ///< ADES name, "Gaia3" and so on; may be empty
    std::optional<double> magnitude;
    std::optional<double> magnitudeError;
    std::optional<double> sigmaRaArcsec; ///< on the sky, as reported
    std::optional<double> sigmaDecArcsec;
    double correlation = 0.0; ///< of both
    std::optional<double> sigmaTimeSeconds;
    std::optional<ObserverPlace> observer; ///< of a moving observer
    std::optional<RadarReturn> radar;

    /// What an 80-column line says besides; blanks where it says nothing.
    struct Notes {
        char discovery = ' ';
        char note = ' ';
        char kind = 'C';
        std::string reference;          ///< columns 73 to 77
        bool astronomicalUnits = false; ///< of a spacecraft's place
        /// Decimals as written: of the day, the seconds of right ascension and declination, the magnitude.
        int dayDecimals = 6;
        int raDecimals = 3;
        int decDecimals = 2;
        int magnitudeDecimals = 2;
    };

    Notes notes;
    /// ADES fields that are not looked at, kept for writing: name and text.
    std::vector<std::pair<std::string, std::string>> others;
    int line = 0; ///< of the file it was read from, counted from 1; 0 for tonight's
};

} // namespace pathmark::orbit
