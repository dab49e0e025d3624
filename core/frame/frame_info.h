#pragma once

#include "core/base/angle.h"
#include "core/base/identity.h"
#include "core/base/time.h"
#include "core/frame/fits_header.h"

#include <array>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::frame {

/// A frame by its content: the digest of its file. The same file under another name is the same frame.
using FrameId = Identity<struct FrameTag>;

enum class FrameKind { Unknown, Bias, Dark, Flat, FlatDark, Light };

const char* name(FrameKind kind);
std::optional<FrameKind> frameKindNamed(std::string_view name);

/// Where an observer stands. Own values only; observatory codes are names for reports.
struct Site {
    std::string code;            ///< observatory code, three characters, may be empty
    Angle longitude;             ///< geodetic, east positive
    Angle latitude;              ///< geodetic (WGS84)
    double altitudeMetres = 0.0; ///< above the ellipsoid
    /// rho cos phi' and rho sin phi' in equatorial radii, as observatory lists give them; they count
    /// instead of latitude and altitude where they are given.
    std::optional<std::array<double, 2>> parallaxConstants;

    friend bool operator==(const Site&, const Site&) = default;
};

/// The four values by which a frame's variance follows from its pixels.
struct NoiseModel {
    double electronsPerAdu = 1.0;
    double readNoiseElectrons = 0.0;
    double saturationAdu = 65535.0;
};

/// One value of a frame and where it came from, for the header view.
struct Derived {
    std::string what;  ///< e.g. "exposure"
    std::string value; ///< with its unit, for a person
    std::string from;  ///< a keyword or a sentence
};

/// What a sample of the pixels says; all in ADU.
struct PixelSample {
    double level = 0.0;        ///< median
    double scatter = 0.0;      ///< robust standard deviation
    double brightShare = 0.0;  ///< of pixels more than 10 scatters above the level
    double definedShare = 1.0; ///< of pixels that have a value
};

/// What is known of one file, each value with the words of where it came from.
struct FrameInfo {
    FrameId id; ///< not known until the file was read whole
    std::filesystem::path path;
    std::string note; ///< which picture of the file; empty where there is only one
    int width = 0;
    int height = 0;
    int planes = 1; ///< 3: a colour picture, read as the mean of its planes
    FrameKind kind = FrameKind::Unknown;
    std::string kindReason;         ///< which keyword, name or statistic decided
    bool isMaster = false;          ///< combined already; used as it is
    std::optional<Utc> midExposure; ///< of the first row, the clock's offset taken off
    std::string timeReason;         ///< how the middle was derived
    bool timeUnsure =
        false; ///< the middle cannot be told: the exposure is not known, or the header contradicts itself
    double timeStepSeconds = 0.0; ///< 1 where the clock is written to the second alone; 0: finer
    double rowSeconds = 0.0;      ///< a rolling shutter's delay from one row to the next
    double exposureSeconds = 0.0;
    bool exposureKnown = false;
    std::optional<double>
        temperatureCelsius; ///< set point where the sensor keeps it, else as measured
    std::string filter;
    int binningX = 1;
    int binningY = 1;
    std::optional<double> pixelMicrometres; ///< including the binning
    std::optional<double> focalMillimetres;
    std::optional<double> statedScaleArcsec; ///< where the header gives the scale itself
    std::optional<double> rotationDegrees;   ///< of the rotator
    std::optional<SkyPos> pointing;
    std::optional<Site> site;
    std::string siteName; ///< as the header has it
    std::string object;
    std::string camera;
    std::string telescope;
    std::optional<double> gainSetting; ///< the camera's own scale
    std::optional<double> offsetSetting;
    std::string readoutMode;
    std::optional<double> electronsPerAdu;
    std::optional<double> readNoiseElectrons;
    std::optional<double> saturationAdu;
    std::optional<double> darkElectronsPerSecond; ///< of a pixel, by the camera's profile
    std::string bayerPattern; ///< "RGGB" and its like in file order; empty for mono
    std::optional<PixelSample> sample;
    std::vector<Derived> origins;   ///< every derived value and its source
    std::vector<std::string> notes; ///< contradictions found in the header

    /// Arcseconds per pixel: as stated, else from pixel size and focal length.
    [[nodiscard]] std::optional<double> scaleArcsec() const;
};

/// In the headers of our results: a rolling shutter's delay from one row of theirs to the next, in seconds.
constexpr const char* kRowDelayKeyword = "PMROWDLY";

/// In the headers of our results that are sums of a colour camera's cells: how far a star of average colour lies in them from where
/// the solution has it, in pixels.
constexpr const char* kLeanXKeyword = "PMLEANX";
constexpr const char* kLeanYKeyword = "PMLEANY";

/// In the headers of our results from a colour camera: which plane of its cells this is, and the cells' pattern.
constexpr const char* kColourKeyword = "PMCOLOUR";
constexpr const char* kPatternKeyword = "PMBAYER";

/// In the headers of our calibrated frames, both of one raw pixel: electrons of reading, and the relative error that the flat brings.
constexpr const char* kReadNoiseKeyword = "PMRDNOIS";
constexpr const char* kFlatErrorKeyword = "PMFLATER";

/// In the headers of our solutions and stacks: one standard deviation of a place along an axis that the solution brings, in pixels.
constexpr const char* kSolutionErrorKeyword = "PMSOLERR";

/// The name of a frame without what says how it is stored: "m1.002.fits.gz" to "m1.002", "m1.fits[2]" to "m1_2".
std::string frameStem(const std::filesystem::path& path);

struct ReadingRules;

/// Reads a frame's description from its header; folder names help where the header is silent.
///
/// Errors   None: what the header does not say stays empty, with the reason in the words.
FrameInfo describeFrame(const std::filesystem::path& path,
                        int width,
                        int height,
                        const Header& header,
                        const ReadingRules& rules);
FrameInfo
describeFrame(const std::filesystem::path& path, int width, int height, const Header& header);

} // namespace pathmark::frame
