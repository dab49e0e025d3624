#pragma once

#include "core/base/result.h"
#include "core/base/time.h"
#include "core/frame/image.h"
#include "core/frame/wcs.h"
#include "simulate/painter.h"

#include <array>
#include <filesystem>
#include <random>
#include <string>
#include <vector>

namespace pathmark::bench {

/// What a comet's night shows. Brightness is of green; other colours follow from spectra.
struct CometPlan {
    bool isBayer = true;
    std::vector<std::string> filters{"R", "G", "B"}; ///< in turn; of one without a mosaic
    int width = 2400;                                ///< pixels of the raw frame
    int height = 1800;
    double arcsecPerPixel = 1.25;
    int count = 40;
    int stars = 900;
    double brightest = 4e5;   ///< electrons of a star
    double nucleus = 4e3;     ///< electrons
    double coma = 2e6;        ///< electrons within comaReach
    double comaReach = 120.0; ///< pixels in which it falls to 1/e of 1 / distance
    double tailSigma = 0.3;   ///< of a pixel's noise in a frame, on its axis
    double tailArcsec = 1200.0;
    double tailWidth = 60.0; ///< arcsec, sigma across
    double sky = 800.0;      ///< electrons in green
    double saturation = 1e9; ///< electrons of a pixel
    double gradient =
        0.15;           ///< from edge to edge, of the sky; turning and growing through the night
    double cloud = 0.3; ///< at most, of the light
    double extinction =
        0.2; ///< magnitudes per air mass in green, more in blue; the body sets from 1.2 to 2.2
    double eastArcsecPerMinute = 2.2;
    double northArcsecPerMinute = -1.1;
    double minutesApart = 3.0;
    std::uint32_t seed = 3;
};

/// A star, and what it sends in red, green, blue and without a filter, green being what it is named by.
struct MadeStar {
    SkyPos place;
    double electrons = 0.0; ///< of green, above the air
    double bpMinusRp = 0.0;
    std::array<double, 4> share{}; ///< of `electrons`
};

/// Frames of a comet on disk and everything that is in them, made without any formula of what joins pictures: stars shine as black bodies
/// through pass bands, the comet's surface brightness is given by its own formula at each pixel.
class MadeComet {
  public:
    MadeComet(CometPlan plan, std::filesystem::path folder);

    [[nodiscard]] const CometPlan& plan() const { return plan_; }

    [[nodiscard]] const std::vector<std::filesystem::path>& files() const { return files_; }

    [[nodiscard]] const std::vector<MadeStar>& stars() const { return stars_; }

    [[nodiscard]] SkyPos cometAt(const Utc& time) const;

    /// Light of the comet's coma and tail in a raw pixel so many arcsec east and north of its nucleus, electrons of green above the air.
    [[nodiscard]] double diffuseAt(double east, double north) const;

    /// What of the comet's light each of red, green, blue and no filter takes, of green's.
    [[nodiscard]] const std::array<double, 4>& cometShare() const { return cometShare_; }

    /// What a star of the Sun's colour sends, likewise: white.
    [[nodiscard]] const std::array<double, 4>& white() const { return white_; }

    /// What of a colour's light reached the detector in a frame.
    [[nodiscard]] double transparency(int frame, std::size_t colour) const;

    /// The FWHM of stars in a frame, raw pixels.
    [[nodiscard]] double fwhm(int frame) const;

    [[nodiscard]] static Utc start() { return Utc::julian(2464000.25); }

    /// The catalogue's table of its stars.
    Result<bool> writeCatalogue(const std::string& name) const;

    [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }

  private:
    void makeStars();
    [[nodiscard]] frame::Image light(int i, std::size_t colour, const frame::Wcs& wcs) const;
    void write(int i) const;
    [[nodiscard]] double skyAt(int i, std::size_t colour, double u, double v) const;
    [[nodiscard]] frame::Wcs wcsOf(int i) const;

    CometPlan plan_;
    std::filesystem::path folder_;
    std::vector<std::filesystem::path> files_;
    std::vector<MadeStar> stars_;
    std::array<double, 4> cometShare_{};
    std::array<double, 4> white_{};
    double comaPeak_ = 0.0;
};

} // namespace pathmark::bench
