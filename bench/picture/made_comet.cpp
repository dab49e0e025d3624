#include "bench/picture/made_comet.h"

#include "core/base/parallel.h"
#include "core/catalog/import.h"
#include "core/frame/fits_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <numbers>

namespace pathmark::bench {
namespace {

constexpr double kReadNoise = 3.0;
constexpr double kComaCore = 3.0; ///< raw pixels within which a coma's brightness rises no more
constexpr double kBeta = 3.2;

/// A pass band: 1 between its edges, falling off as a logistic curve of that width.
struct PassBand {
    double from = 0.0; ///< nm
    double to = 0.0;
    double edge = 8.0;

    [[nodiscard]] double at(double nm) const {
        return 1.0 / (1.0 + std::exp((from - nm) / edge)) / (1.0 + std::exp((nm - to) / edge));
    }
};

constexpr std::array kCameraBands{
    PassBand{585.0, 690.0}, PassBand{495.0, 580.0}, PassBand{400.0, 500.0}, PassBand{400.0, 690.0}};
constexpr PassBand kBlueHalf{340.0, 670.0, 20.0};
constexpr PassBand kRedHalf{640.0, 1020.0, 20.0};
constexpr PassBand kWholeLight{340.0, 1000.0, 40.0};

/// Photons of a black body through a band, in any unit.
double photons(double kelvin, const PassBand& band) {
    double sum = 0.0;
    for (double nm = 320.0; nm < 1100.0; nm += 1.0) {
        const double x = 1.438777e7 / (nm * kelvin); // hc / (lambda k T)
        sum += band.at(nm) / (std::pow(nm / 500.0, 4.0) * std::expm1(x));
    }
    return sum;
}

double magnitudeBetween(double kelvin, const PassBand& a, const PassBand& b) {
    constexpr double kZero = 9600.0; // of a star without a colour
    return -2.5 * std::log10(photons(kelvin, a) / photons(kelvin, b) /
                             (photons(kZero, a) / photons(kZero, b)));
}

std::array<double, 4> sharesOf(double kelvin) {
    std::array<double, 4> shares{};
    for (std::size_t c = 0; c < 4; ++c) {
        shares[c] = photons(kelvin, kCameraBands[c]) / photons(kelvin, kCameraBands[1]);
    }
    return shares;
}

/// Of that BP - RP.
double temperatureOf(double colour) {
    double cool = 2500.0;
    double hot = 30000.0;
    while (hot - cool > 0.1) {
        const double middle = 0.5 * (cool + hot);
        (magnitudeBetween(middle, kBlueHalf, kRedHalf) > colour ? cool : hot) = middle;
    }
    return cool;
}

std::size_t colourNamed(const std::string& filter) {
    return filter == "R" ? 0 : filter == "G" ? 1 : filter == "B" ? 2 : 3;
}

} // namespace

MadeComet::MadeComet(CometPlan plan, std::filesystem::path folder)
    : plan_(std::move(plan)), folder_(std::move(folder)) {
    white_ = sharesOf(temperatureOf(0.82));
    // Dust a little redder than the Sun, and a band of gas in green and blue.
    cometShare_ = {0.86 * white_[0], 1.0, 1.05 * white_[2], 0.97 * white_[3]};
    makeStars();
    // The integral of exp(-r / reach) / r over the plane is 2 pi reach.
    comaPeak_ = plan_.coma / (2.0 * std::numbers::pi * plan_.comaReach);
    for (int i = 0; i < plan_.count; ++i) {
        files_.push_back(folder_ / fmt::format("c{:03}.fits", i));
    }
    parallelFor(files_.size(), [this](std::size_t i) {
        if (!std::filesystem::exists(files_[i])) {
            write(static_cast<int>(i));
        }
    });
}

void MadeComet::makeStars() {
    std::mt19937 random(plan_.seed);
    std::uniform_real_distribution<double> part(0.0, 1.0);
    const double reach = plan_.arcsecPerPixel;
    for (int k = 0; k < plan_.stars; ++k) {
        MadeStar star;
        const double east = (part(random) - 0.5) * 1.15 * plan_.width * reach;
        const double north = (part(random) - 0.5) * 1.15 * plan_.height * reach;
        star.place = offsetBy(skyDegrees(100.0, 30.0), east, north);
        star.electrons = plan_.brightest * std::pow(10.0, -3.2 * part(random));
        const double kelvin = 3600.0 * std::pow(2.3, part(random));
        star.share = sharesOf(kelvin);
        star.bpMinusRp = magnitudeBetween(kelvin, kBlueHalf, kRedHalf);
        stars_.push_back(star);
    }
}

SkyPos MadeComet::cometAt(const Utc& time) const {
    const double minutes =
        time.secondsSince(start()) / 60.0 - 0.5 * plan_.count * plan_.minutesApart;
    return offsetBy(skyDegrees(100.0, 30.0),
                    plan_.eastArcsecPerMinute * minutes + 0.22 * plan_.width * plan_.arcsecPerPixel,
                    plan_.northArcsecPerMinute * minutes);
}

double MadeComet::diffuseAt(double east, double north) const {
    const double r = std::hypot(east, north) / plan_.arcsecPerPixel;
    double light = comaPeak_ * std::exp(-r / plan_.comaReach) / std::hypot(r, kComaCore);
    // The tail points west and a little north.
    constexpr double kTurn = 0.12;
    const double along = -east * std::cos(kTurn) + north * std::sin(kTurn);
    const double across = east * std::sin(kTurn) + north * std::cos(kTurn);
    if (plan_.tailSigma > 0.0 && along > -4.0 * plan_.tailWidth) {
        const double begins = 0.5 * (1.0 + std::erf(along / plan_.tailWidth));
        const double ends = 0.5 * std::erfc((along - 1.1 * plan_.tailArcsec) / 120.0);
        const double noise = std::hypot(std::sqrt(plan_.sky), kReadNoise);
        light += plan_.tailSigma * noise * begins * ends *
                 std::exp(-0.5 * std::pow(across / plan_.tailWidth, 2.0));
    }
    return light;
}

double MadeComet::transparency(int frame, std::size_t colour) const {
    static constexpr std::array kOfGreen{0.7, 1.0, 1.6, 1.1};
    const double part = static_cast<double>(frame) / std::max(1, plan_.count - 1);
    const double airMass = 1.2 + part * part;
    const double cloud =
        plan_.cloud * std::pow(std::sin(2.3 * frame), 2.0) * (part > 0.3 ? 1.0 : 0.2);
    return (1.0 - cloud) * std::pow(10.0, -0.4 * plan_.extinction * kOfGreen[colour] * airMass);
}

double MadeComet::fwhm(int frame) const {
    return 3.0 + 0.5 * std::sin(0.7 * frame) * std::sin(0.7 * frame);
}

/// `u`, `v`: -1 to 1 over the frame.
double MadeComet::skyAt(int i, std::size_t colour, double u, double v) const {
    static constexpr std::array kLevel{0.8, 1.0, 0.6, 2.2};
    const double part = static_cast<double>(i) / std::max(1, plan_.count - 1);
    const double turn = 0.6 + 0.8 * part + 0.5 * static_cast<double>(colour);
    const double slope = plan_.gradient * (0.7 + 0.6 * part);
    // Twilight or the Moon on one side, a town's dome beyond a corner: neither is a polynomial.
    const double dome = std::exp(-0.5 * (std::pow(u - 1.8, 2.0) + std::pow(v + 1.6, 2.0)) / 1.4);
    const double shape =
        1.0 + slope * (std::tanh(0.7 * (u * std::cos(turn) + v * std::sin(turn))) + 2.0 * dome);
    return plan_.sky * kLevel[colour] * (1.0 + 0.4 * part) * shape;
}

frame::Wcs MadeComet::wcsOf(int i) const {
    std::mt19937 random(plan_.seed + 1000U + static_cast<std::uint32_t>(i));
    std::uniform_real_distribution<double> dither(-12.0, 12.0);
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 30.0);
    wcs.referencePixel.x = 0.5 * plan_.width + dither(random);
    wcs.referencePixel.y = 0.5 * plan_.height + dither(random);
    const double s = Angle::arcsec(plan_.arcsecPerPixel).radians();
    const double t = 0.02 + 0.0002 * i;
    wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
    return wcs;
}

frame::Image MadeComet::light(int i, std::size_t colour, const frame::Wcs& wcs) const {
    frame::Image image(plan_.width, plan_.height);
    const double clear = transparency(i, colour);
    const simulate::Blur blur{fwhm(i), 0.05, 30.0, kBeta};
    for (const MadeStar& star : stars_) {
        const auto p = wcs.toPixel(star.place);
        if (p && p->x > -40.0 && p->y > -40.0 && p->x < plan_.width + 40.0 &&
            p->y < plan_.height + 40.0) {
            simulate::paintPoint(
                image, blur, p->x, p->y, clear * star.electrons * star.share[colour]);
        }
    }
    const Utc time = start().plusSeconds(60.0 * plan_.minutesApart * i);
    const SkyPos comet = cometAt(time);
    const auto nucleus = *wcs.toPixel(comet);
    const double share = clear * cometShare_[colour];
    simulate::paintPoint(image, blur, nucleus.x, nucleus.y, share * plan_.nucleus);
    for (int y = 0; y < plan_.height; ++y) {
        auto row = image.row(y);
        for (int x = 0; x < plan_.width; ++x) {
            const double dx = x - nucleus.x;
            const double dy = y - nucleus.y;
            // A plane to 0.01 pixel over half a degree.
            const double east = (wcs.cd[0] * dx + wcs.cd[1] * dy) / kRadiansPerArcsec;
            const double north = (wcs.cd[2] * dx + wcs.cd[3] * dy) / kRadiansPerArcsec;
            const double u = 2.0 * x / plan_.width - 1.0;
            const double v = 2.0 * y / plan_.height - 1.0;
            row[static_cast<std::size_t>(x)] +=
                static_cast<float>(share * diffuseAt(east, north) + skyAt(i, colour, u, v));
        }
    }
    return image;
}

void MadeComet::write(int i) const {
    const frame::Wcs wcs = wcsOf(i);
    frame::Header header;
    header.set("EXPTIME", 60.0, "s");
    header.set(
        "DATE-OBS", toIso(start().plusSeconds(60.0 * plan_.minutesApart * i - 30.0)), "start");
    header.set("GAIN", 1.0, "electrons per unit");
    if (plan_.saturation < 1e8) {
        header.set("SATURATE", plan_.saturation, "electrons");
    }
    header.set("BUNIT", std::string("electron"), "");
    frame::writeWcs(wcs, header);
    frame::Image image;
    if (plan_.isBayer) {
        header.set("BAYERPAT", std::string("RGGB"), "");
        image = frame::Image(plan_.width, plan_.height);
        for (std::size_t c = 0; c < 3; ++c) {
            const frame::Image plane = light(i, c, wcs);
            for (int y = 0; y < plan_.height; ++y) {
                for (int x = 0; x < plan_.width; ++x) {
                    const std::size_t here = x % 2 + y % 2 == 0 ? 0 : x % 2 + y % 2 == 1 ? 1 : 2;
                    image.at(x, y) = here == c ? plane.at(x, y) : image.at(x, y);
                }
            }
        }
    } else {
        const std::string& filter =
            plan_.filters[static_cast<std::size_t>(i) % plan_.filters.size()];
        header.set("FILTER", filter, "");
        image = light(i, colourNamed(filter), wcs);
    }
    std::mt19937 random(plan_.seed + 7000U + static_cast<std::uint32_t>(i));
    std::normal_distribution<float> read(0.0F, static_cast<float>(kReadNoise));
    for (float& v : image.pixels()) {
        v = static_cast<float>(std::poisson_distribution<int>(static_cast<double>(v))(random)) +
            read(random);
        v = std::min(v, static_cast<float>(plan_.saturation));
    }
    if (!frame::writeFits(files_[static_cast<std::size_t>(i)], image, header)) {
        std::abort(); // nothing that follows would mean anything
    }
}

Result<bool> MadeComet::writeCatalogue(const std::string& name) const {
    const auto csv = folder_ / "stars.csv";
    std::ofstream table(csv);
    table << "source_id,ra,dec,phot_g_mean_mag,phot_bp_mean_mag,phot_rp_mean_mag\n";
    std::size_t number = 1000;
    for (const MadeStar& star : stars_) {
        const double kelvin = temperatureOf(star.bpMinusRp);
        const double g = 21.0 - 2.5 * std::log10(star.electrons * photons(kelvin, kWholeLight) /
                                                 photons(kelvin, kCameraBands[1]) / 60.0);
        table << fmt::format("{},{:.8f},{:.8f},{:.5f},{:.5f},{:.5f}\n",
                             number++,
                             star.place.longitude.degrees(),
                             star.place.latitude.degrees(),
                             g,
                             g + 0.5 * star.bpMinusRp,
                             g - 0.5 * star.bpMinusRp);
    }
    table.close();
    if (auto imported = catalog::importTables({csv}, folder_, name, {}); !imported) {
        return fail(imported.error());
    }
    return true;
}

} // namespace pathmark::bench
