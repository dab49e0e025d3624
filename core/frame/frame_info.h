#pragma once

#include "core/base/angle.h"
#include "core/base/time.h"
#include "core/frame/fits_header.h"

#include <filesystem>
#include <optional>
#include <string>

namespace pathmark::frame {

enum class FrameKind { Unknown, Bias, Dark, Flat, FlatDark, Light };

const char* name(FrameKind kind);
std::optional<FrameKind> frameKindNamed(std::string_view name);

/// Where an observer stands. Own values only; observatory codes are names for reports.
struct Site {
    std::string code;            ///< observatory code, three characters, may be empty
    Angle longitude;             ///< geodetic, east positive
    Angle latitude;              ///< geodetic (WGS84)
    double altitudeMetres = 0.0; ///< above the ellipsoid
};

/// The four values by which a frame's variance follows from its pixels.
struct NoiseModel {
    double electronsPerAdu = 1.0;
    double readNoiseElectrons = 0.0;
    double saturationAdu = 65535.0;
};

/// What is known of one file, each value with the words of where it came from.
struct FrameInfo {
    std::filesystem::path path;
    int width = 0;
    int height = 0;
    FrameKind kind = FrameKind::Unknown;
    std::string kindReason; ///< which keyword or folder name decided
    std::optional<Utc> midExposure;
    std::string timeReason; ///< how the middle was derived
    double exposureSeconds = 0.0;
    std::optional<double> temperatureCelsius; ///< set point where given, else as measured
    std::string filter;
    int binningX = 1;
    int binningY = 1;
    std::optional<double> pixelMicrometres; ///< including the binning
    std::optional<double> focalMillimetres;
    std::optional<SkyPos> pointing;
    std::string object;
    std::string camera;
    std::optional<double> gainSetting; ///< the camera's own scale
    std::optional<double> electronsPerAdu;
    std::optional<double> readNoiseElectrons;
    std::string bayerPattern; ///< "RGGB" and its like in file order; empty for mono

    /// Arcseconds per pixel from pixel size and focal length.
    [[nodiscard]] std::optional<double> scaleArcsec() const;
};

/// The name of a frame without what says how it is stored: "m1.002.fits.gz" to "m1.002".
std::string frameStem(const std::filesystem::path& path);

/// Reads a frame's description from its header; folder names help where the header is silent.
///
/// Errors   None: what the header does not say stays empty, with the reason in the words.
FrameInfo
describeFrame(const std::filesystem::path& path, int width, int height, const Header& header);

} // namespace pathmark::frame
