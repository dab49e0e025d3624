// Joined pictures of made comets against what is in them: the colours of stars and of the coma, widths, the nucleus, the tail's light,
// what stars leave of a coma that they crossed, and the sky. The truth is made_comet's: black bodies through pass bands, and a comet's
// surface brightness by its own formula; nothing of that is in what joins pictures.
#include "bench/picture/made_comet.h"
#include "bench/support/process_usage.h"
#include "core/base/robust.h"
#include "core/detect/detect.h"
#include "core/frame/fits_file.h"
#include "core/night/joined_picture.h"
#include "core/night/work_folder.h"
#include "core/picture/picture_file.h"
#include "core/picture/stretch.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <numbers>

namespace {

namespace fs = std::filesystem;
using namespace pathmark;
using bench::CometPlan;
using bench::MadeComet;

constexpr double kComaCircle = 45.0; ///< arcsec, in which its colour is measured

[[noreturn]] void stop(const Error& error) {
    fmt::print("ERROR OCCURRED: {}\n", error.detail);
    std::exit(1);
}

/// A picture, and what turns the truth into its units.
class Judged {
  public:
    Judged(const MadeComet& truth, const night::JoinedPicture& made)
        : truth_(truth), made_(made),
          step_(made.grid.wcs.scaleArcsec() / truth.plan().arcsecPerPixel) {
        comet_ = *made.grid.wcs.toPixel(truth.cometAt(made.time));
    }

    void print(const night::JoinedPicture& starsOnly, const night::JoinedPicture& cometOnly) const {
        printStars();
        printComa(cometOnly);
        printShapes(starsOnly);
        printTail();
        printCrossings(cometOnly);
        printSky();
    }

  private:
    [[nodiscard]] const CometPlan& plan() const { return truth_.plan(); }

    [[nodiscard]] const frame::Image& plane(std::size_t c) const { return made_.linear.planes[c]; }

    /// Of a colour's light above the air, what the picture has of it.
    [[nodiscard]] double unitOf(std::size_t c) const {
        int first = 0; // frame of that colour: its electrons are the picture's
        if (!plan().isBayer) {
            const char* names[] = {"R", "G", "B"};
            while (plan().filters[static_cast<std::size_t>(first)] != names[c]) {
                ++first;
            }
        }
        return truth_.transparency(first, c) * made_.scales.scale[c] / (plan().isBayer ? 4.0 : 1.0);
    }

    [[nodiscard]] double
    lightIn(const frame::Image& image, frame::PixelPos at, double radius) const {
        double sum = 0.0;
        for (int y = static_cast<int>(at.y - radius); y <= at.y + radius + 1.0; ++y) {
            for (int x = static_cast<int>(at.x - radius); x <= at.x + radius + 1.0; ++x) {
                if (image.contains(x, y) && std::hypot(x - at.x, y - at.y) <= radius) {
                    sum += static_cast<double>(image.at(x, y));
                }
            }
        }
        return sum;
    }

    [[nodiscard]] double
    ringLevel(const frame::Image& image, frame::PixelPos at, double inner) const {
        std::vector<double> values;
        const double outer = 1.6 * inner;
        for (int y = static_cast<int>(at.y - outer); y <= at.y + outer; ++y) {
            for (int x = static_cast<int>(at.x - outer); x <= at.x + outer; ++x) {
                const double r = std::hypot(x - at.x, y - at.y);
                if (image.contains(x, y) && r > inner && r < outer) {
                    values.push_back(static_cast<double>(image.at(x, y)));
                }
            }
        }
        return values.empty() ? 0.0 : medianInPlace(std::span(values));
    }

    void printStars() const;
    void printComa(const night::JoinedPicture& cometOnly) const;
    void printShapes(const night::JoinedPicture& starsOnly) const;
    void printTail() const;
    void printCrossings(const night::JoinedPicture& cometOnly) const;
    void printSky() const;
    [[nodiscard]] frame::Image diffuse(std::size_t c) const;
    void addStars(std::size_t c, frame::Image& image) const;
    [[nodiscard]] std::vector<bool> starlight() const;
    [[nodiscard]] double widthOf(const frame::Image& image) const;

    const MadeComet& truth_;
    const night::JoinedPicture& made_;
    double step_; ///< raw pixels for each of the picture's
    frame::PixelPos comet_;
};

double magnitudes(double ratio) {
    return -2.5 * std::log10(ratio);
}

void Judged::printStars() const {
    std::vector<double> off;
    for (const auto& star : truth_.stars()) {
        const auto at = made_.grid.wcs.toPixel(star.place);
        const double radius = 2.2 * 3.3 / step_;
        const auto isNear = [&](const bench::MadeStar& other) {
            const double apart =
                separation(star.place, other.place).arcsec() / made_.grid.wcs.scaleArcsec();
            return apart > 0.0 && apart < 3.0 * radius && other.electrons > 0.01 * star.electrons;
        };
        if (!at || at->x < 20 || at->y < 20 || at->x > made_.grid.width - 20 ||
            at->y > made_.grid.height - 20 || star.electrons < 3e3 ||
            std::any_of(truth_.stars().begin(), truth_.stars().end(), isNear)) {
            continue;
        }
        std::array<double, 3> flux{};
        for (std::size_t c = 0; c < 3; ++c) {
            const double level = ringLevel(plane(c), *at, 2.0 * radius);
            flux[c] = lightIn(plane(c), *at, radius) - level * std::numbers::pi * radius * radius;
        }
        const double want =
            magnitudes(star.share[2] / truth_.white()[2] / (star.share[0] / truth_.white()[0]));
        if (flux[0] > 0.0 && flux[2] > 0.0) {
            off.push_back(magnitudes(flux[2] / flux[0]) - want);
        }
    }
    double squares = 0.0;
    for (const double v : off) {
        squares += v * v / static_cast<double>(off.size());
    }
    const auto moments = medianAndDeviation(off);
    fmt::print(
        "  colours of {} stars, blue less red: rms {:.3f} mag, median {:+.3f}, scatter {:.3f} "
        "(aim 0.05); by the catalogue {} stars, {:.3f}; white is {}\n",
        off.size(),
        std::sqrt(squares),
        moments.centre,
        moments.sigma,
        made_.scales.stars,
        made_.scales.scatter,
        made_.scales.white);
}

void Judged::printComa(const night::JoinedPicture& cometOnly) const {
    std::array<double, 3> flux{};
    for (std::size_t c = 0; c < 3; ++c) {
        flux[c] =
            lightIn(cometOnly.linear.planes[c], comet_, kComaCircle / made_.grid.wcs.scaleArcsec());
    }
    const auto& share = truth_.cometShare();
    const auto& white = truth_.white();
    fmt::print("  coma's colour off: blue {:+.3f}, red {:+.3f} mag of green (aim 0.03)\n",
               magnitudes(flux[2] / flux[1]) - magnitudes(share[2] / white[2]),
               magnitudes(flux[0] / flux[1]) - magnitudes(share[0] / white[0]));
}

/// How wide stars are, in any unit: the root of the area that the noise of a whole star's light is of (King 1983), of bright ones far
/// from others.
double Judged::widthOf(const frame::Image& image) const {
    std::vector<double> widths;
    for (const auto& star : truth_.stars()) {
        const auto at = made_.grid.wcs.toPixel(star.place);
        const auto isNear = [&](const bench::MadeStar& other) {
            const double apart =
                separation(star.place, other.place).arcsec() / made_.grid.wcs.scaleArcsec();
            return apart > 0.0 && apart < 18.0 && other.electrons > 0.02 * star.electrons;
        };
        if (!at || at->x < 20 || at->y < 20 || at->x > image.width() - 20 ||
            at->y > image.height() - 20 || star.electrons < 3e4 ||
            std::any_of(truth_.stars().begin(), truth_.stars().end(), isNear)) {
            continue;
        }
        const double level = ringLevel(image, *at, 9.0);
        double sum = 0.0;
        double squares = 0.0;
        for (int y = static_cast<int>(at->y) - 7; y <= at->y + 8; ++y) {
            for (int x = static_cast<int>(at->x) - 7; x <= at->x + 8; ++x) {
                const double light = static_cast<double>(image.at(x, y)) - level;
                sum += light;
                squares += light * light;
            }
        }
        widths.push_back(std::sqrt(sum * sum / squares));
    }
    return widths.empty() ? 0.0 : medianInPlace(std::span(widths));
}

void Judged::printShapes(const night::JoinedPicture& starsOnly) const {
    std::string widths;
    std::string own;
    double sharpest = 1e9;
    for (std::size_t c = 0; c < 3; ++c) {
        sharpest = std::min(sharpest, widthOf(starsOnly.linear.planes[c]));
    }
    for (std::size_t c = 0; c < 3; ++c) {
        widths += fmt::format(" {:.3f}", widthOf(plane(c)) / sharpest);
        own += fmt::format(" {:.3f}", widthOf(starsOnly.linear.planes[c]) / sharpest);
    }
    double x = 0.0;
    double y = 0.0;
    double sum = 0.0;
    const frame::Image& green = plane(1);
    const double level = ringLevel(green, comet_, 6.0);
    const int cx = static_cast<int>(std::lround(comet_.x));
    const int cy = static_cast<int>(std::lround(comet_.y));
    for (int v = cy - 4; v <= cy + 4; ++v) {
        for (int u = cx - 4; u <= cx + 4; ++u) {
            const double light = static_cast<double>(green.at(u, v)) - level;
            sum += light;
            x += light * u;
            y += light * v;
        }
    }
    fmt::print("  width of stars, red, green, blue, over the sharpest stack of stars alone:{} "
               "(those:{}; aim "
               "1.03); nucleus off {:.3f} raw pixels (aim 0.2)\n",
               widths,
               own,
               step_ * std::hypot(x / sum - comet_.x, y / sum - comet_.y));
}

/// Coma and tail as the picture must have them.
frame::Image Judged::diffuse(std::size_t c) const {
    frame::Image image(made_.grid.width, made_.grid.height);
    const SkyPos comet = truth_.cometAt(made_.time);
    const double unit = unitOf(c) * truth_.cometShare()[c] * step_ * step_;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            const PlanePos at = toTangentPlane(
                comet, made_.grid.wcs.toSky({static_cast<double>(x), static_cast<double>(y)}));
            image.at(x, y) = static_cast<float>(
                unit * truth_.diffuseAt(at.xi / kRadiansPerArcsec, at.eta / kRadiansPerArcsec));
        }
    }
    return image;
}

void Judged::addStars(std::size_t c, frame::Image& image) const {
    const simulate::Blur blur{3.25 / step_, 0.05, 30.0, 3.2};
    for (const auto& star : truth_.stars()) {
        const auto at = made_.grid.wcs.toPixel(star.place);
        if (at && at->x > -40.0 && at->y > -40.0 && at->x < image.width() + 40.0 &&
            at->y < image.height() + 40.0) {
            // Planes of a mosaic have a quarter of a star's light, as unitOf says of a pixel's.
            simulate::paintPoint(
                image, blur, at->x, at->y, unitOf(c) * star.electrons * star.share[c]);
        }
    }
}

/// Which pixels have stars in them.
std::vector<bool> Judged::starlight() const {
    std::vector<bool> lit(plane(0).pixels().size(), false);
    for (const auto& star : truth_.stars()) {
        const auto at = made_.grid.wcs.toPixel(star.place);
        if (!at) {
            continue;
        }
        const double radius = (4.0 + 3.0 * std::pow(star.electrons / 1e3, 0.3)) / step_ * 1.5;
        for (int y = static_cast<int>(at->y - radius); y <= at->y + radius; ++y) {
            for (int x = static_cast<int>(at->x - radius); x <= at->x + radius; ++x) {
                if (plane(0).contains(x, y) && std::hypot(x - at->x, y - at->y) < radius) {
                    lit[static_cast<std::size_t>(y) * static_cast<std::size_t>(plane(0).width()) +
                        static_cast<std::size_t>(x)] = true;
                }
            }
        }
    }
    return lit;
}

/// In twenty pieces along its axis: light of the picture over the truth's, stars left out of both.
void Judged::printTail() const {
    if (plan().tailSigma <= 0.0) {
        return;
    }
    const auto lit = starlight();
    const SkyPos comet = truth_.cometAt(made_.time);
    constexpr int kParts = 5;
    for (std::size_t c = 0; c < 3; ++c) {
        frame::Image want = diffuse(c);
        addStars(c, want); // their wings reach beyond what is left out
        std::array<double, kParts> have{};
        std::array<double, kParts> wanted{};
        for (int y = 0; y < want.height(); ++y) {
            for (int x = 0; x < want.width(); ++x) {
                const std::size_t k =
                    static_cast<std::size_t>(y) * static_cast<std::size_t>(want.width()) +
                    static_cast<std::size_t>(x);
                const PlanePos at = toTangentPlane(
                    comet, made_.grid.wcs.toSky({static_cast<double>(x), static_cast<double>(y)}));
                const double east = at.xi / kRadiansPerArcsec;
                const double north = at.eta / kRadiansPerArcsec;
                const double along = -east * std::cos(0.12) + north * std::sin(0.12);
                const double across = east * std::sin(0.12) + north * std::cos(0.12);
                const int part = static_cast<int>(std::floor(kParts * along / plan().tailArcsec));
                if (lit[k] || part < 0 || part >= kParts ||
                    std::abs(across) > 2.0 * plan().tailWidth) {
                    continue;
                }
                have[static_cast<std::size_t>(part)] += static_cast<double>(plane(c).pixels()[k]);
                wanted[static_cast<std::size_t>(part)] += static_cast<double>(want.pixels()[k]);
            }
        }
        std::string words;
        double all = 0.0;
        double allWanted = 0.0;
        for (std::size_t p = 0; p < kParts; ++p) {
            words += fmt::format(" {:.3f}", have[p] / wanted[p]);
            all += have[p];
            allWanted += wanted[p];
        }
        fmt::print(
            "  tail's light in {}, five pieces of {:.0f}\":{}; all {:.3f} (aim 0.97 to 1.03)\n",
            c == 0   ? "red"
            : c == 1 ? "green"
                     : "blue",
            plan().tailArcsec / kParts,
            words,
            all / allWanted);
    }
}

/// What stars have left in the comet's layer where they crossed it: means of three by three pixels, in sigmas of those of the sky.
void Judged::printCrossings(const night::JoinedPicture& cometOnly) const {
    const frame::Image want = diffuse(1);
    const frame::Image& have = cometOnly.linear.planes[1];
    std::vector<double> off;
    std::vector<double> apart;
    const double reach = 2.0 * plan().comaReach / step_;
    for (int y = 1; y + 1 < have.height(); y += 3) {
        for (int x = 1; x + 1 < have.width(); x += 3) {
            const double r = std::hypot(x - comet_.x, y - comet_.y);
            if (r < 8.0) {
                continue; // the nucleus is not in this truth
            }
            double sum = 0.0;
            for (int v = y - 1; v <= y + 1; ++v) {
                for (int u = x - 1; u <= x + 1; ++u) {
                    sum += static_cast<double>(have.at(u, v) - want.at(u, v)) / 9.0;
                }
            }
            off.push_back(sum);
            apart.push_back(r);
        }
    }
    const auto moments = medianAndDeviation(off);
    double deepest = 0.0;
    double highest = 0.0;
    int inside = 0;
    int below = 0;
    for (std::size_t k = 0; k < off.size(); ++k) {
        if (apart[k] > reach) {
            continue;
        }
        const double z = off[k] / moments.sigma;
        ++inside;
        below += z < -3.0 ? 1 : 0;
        deepest = std::min(deepest, z);
        highest = std::max(highest, z);
    }
    fmt::print("  coma's layer less the truth within {:.0f} pixels: from {:+.1f} to {:+.1f} sigma "
               "of the sky's 3 x 3 means; "
               "below -3: {} of {} (by chance {:.0f})\n",
               reach,
               deepest,
               highest,
               below,
               inside,
               0.00135 * inside);
}

/// Blocks of 32 pixels less the comet, stars left out: what is left of gradients.
void Judged::printSky() const {
    const auto lit = starlight();
    std::string words;
    for (std::size_t c = 0; c < 3; ++c) {
        const frame::Image want = diffuse(c);
        std::vector<double> noise;
        std::vector<double> levels;
        for (int y0 = 0; y0 + 32 <= want.height(); y0 += 32) {
            for (int x0 = 0; x0 + 32 <= want.width(); x0 += 32) {
                std::vector<double> values;
                for (int y = y0; y < y0 + 32; ++y) {
                    for (int x = x0; x < x0 + 32; ++x) {
                        const std::size_t k =
                            static_cast<std::size_t>(y) * static_cast<std::size_t>(want.width()) +
                            static_cast<std::size_t>(x);
                        if (!lit[k]) {
                            values.push_back(
                                static_cast<double>(plane(c).pixels()[k] - want.pixels()[k]));
                        }
                    }
                }
                if (values.size() > 300) {
                    const auto moments = medianAndDeviation(values);
                    levels.push_back(moments.centre);
                    noise.push_back(moments.sigma);
                }
            }
        }
        const double sigma = medianInPlace(std::span(noise));
        double squares = 0.0;
        double worst = 0.0;
        for (const double v : levels) {
            squares += v * v / static_cast<double>(levels.size());
            worst = std::max(worst, std::abs(v));
        }
        words += fmt::format("  {} {:.3f} (worst {:.2f})",
                             c == 0   ? "red"
                             : c == 1 ? "green"
                                      : "blue",
                             std::sqrt(squares) / sigma,
                             worst / sigma);
    }
    fmt::print("  sky in blocks of 32 pixels off zero, in sigmas of a pixel (rms):{}\n", words);
}

catalog::StarStore catalogueOf(const MadeComet& truth) {
    if (auto written = truth.writeCatalogue("stars"); !written) {
        stop(written.error());
    }
    auto store = catalog::StarStore::open(truth.folder(), "stars");
    if (!store) {
        stop(store.error());
    }
    return std::move(*store);
}

night::JoinedPicture join(const MadeComet& truth,
                          night::PictureLayers layers,
                          const catalog::StarStore& store,
                          double& seconds) {
    const night::WorkFolder work(truth.folder() / "work");
    fs::create_directories(work.path());
    const auto start = std::chrono::steady_clock::now();
    const auto channels = night::readChannels(truth.files(), {}, {}, work.path(), {});
    for (const Error& error : channels.failures) {
        stop(error);
    }
    night::JoinedPictureWishes wishes;
    wishes.layers = layers;
    wishes.canvas.extent = stack::CanvasExtent::Common;
    wishes.target = [&](const Utc& time) -> Result<SkyPos> { return truth.cometAt(time); };
    auto made = night::joinPicture(channels, wishes, &store, work.path(), {});
    if (!made) {
        stop(made.error());
    }
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    seconds = took.count();
    return std::move(*made);
}

void show(const fs::path& path, const night::JoinedPicture& made) {
    const picture::Stretch curve = picture::stretchFor(made.linear, {});
    if (auto written =
            picture::writePicture(path,
                                  made.linear,
                                  picture::stretched(made.linear, curve),
                                  {"a made comet", toIso(made.time), made.planes, made.grid.wcs});
        !written) {
        stop(written.error());
    }
}

void judge(const std::string& name, const CometPlan& plan, const fs::path& folder, bool keeps) {
    const fs::path own = folder / name;
    fs::remove_all(own);
    fs::create_directories(own);
    const MadeComet truth(plan, own);
    const catalog::StarStore store = catalogueOf(truth);
    double seconds = 0.0;
    double ignored = 0.0;
    const auto both = join(truth, night::PictureLayers::Both, store, seconds);
    fmt::print("{}: {} frames of {} x {}, {} ; {:.1f} s\n",
               name,
               plan.count,
               plan.width,
               plan.height,
               both.planes,
               seconds);
    if (keeps) {
        show(folder / (name + ".png"), both);
    }
    const auto stars = join(truth, night::PictureLayers::Stars, store, ignored);
    const auto comet = join(truth, night::PictureLayers::Comet, store, ignored);
    Judged(truth, both).print(stars, comet);
    std::fflush(stdout);
    fs::remove_all(own);
}

/// Forty frames of a colour camera of 26 megapixels, from their files to the picture on the disk; made once and kept in `folder`.
void timeLarge(const fs::path& folder) {
    CometPlan plan;
    plan.width = 6248;
    plan.height = 4176;
    plan.arcsecPerPixel = 0.8;
    plan.stars = 6000;
    plan.comaReach = 200.0;
    fs::create_directories(folder);
    const MadeComet truth(plan, folder);
    const catalog::StarStore store = catalogueOf(truth);
    double seconds = 0.0;
    const auto both = join(truth, night::PictureLayers::Both, store, seconds);
    const auto start = std::chrono::steady_clock::now();
    show(folder / "large.png", both);
    const std::chrono::duration<double> shown = std::chrono::steady_clock::now() - start;
    fmt::print("{} colour frames of 26 megapixels: joined in {:.0f} s, written in {:.0f} s (aim "
               "180 in all); "
               "{:.0f} s of processor; memory at most {:.0f} MB (aim 4000)\n",
               plan.count,
               seconds,
               shown.count(),
               bench::processorSeconds(),
               bench::peakMegabytes());
}

/// The first picture, by itself, of five comets that differ: for looking at.
void showFive(const fs::path& folder) {
    CometPlan bright;
    bright.count = 20;
    bright.coma = 6e7;
    bright.nucleus = 3e6; // overexposed
    bright.saturation = 6e4;
    bright.tailSigma = 3.0;
    CometPlan faint;
    faint.coma = 2e5;
    faint.nucleus = 2e3;
    faint.tailSigma = 0.25;
    faint.cloud = 0.0;
    CometPlan crowded;
    crowded.stars = 9000;
    crowded.count = 24;
    CometPlan gradient;
    gradient.gradient = 0.6;
    gradient.count = 24;
    CometPlan filters;
    filters.isBayer = false;
    filters.filters = {"L", "R", "L", "G", "L", "B"};
    filters.count = 36;
    filters.width = 1600;
    filters.height = 1200;
    filters.arcsecPerPixel = 1.8;
    filters.comaReach = 80.0;
    for (auto& [name, plan] : {std::pair<std::string, CometPlan>{"bright", bright},
                               {"faint-tail", faint},
                               {"crowded", crowded},
                               {"gradient", gradient},
                               {"filters", filters}}) {
        const fs::path own = folder / name;
        fs::remove_all(own);
        fs::create_directories(own);
        const MadeComet truth(plan, own);
        const catalog::StarStore store = catalogueOf(truth);
        double seconds = 0.0;
        show(folder / (name + ".png"), join(truth, night::PictureLayers::Both, store, seconds));
        fs::remove_all(own);
    }
}

} // namespace

int main(int argc, char** argv) {
    bool small = false;
    bool keeps = false;
    bool large = false;
    bool five = false;
    std::string only;
    std::string folder = (fs::temp_directory_path() / "picture-truth").string();
    std::uint32_t seed = 3;
    CLI::App program("Joined pictures against what is in them");
    program.add_flag("--small", small, "Small frames, few of them");
    program.add_flag("--keep", keeps, "Keep the pictures");
    program.add_option("--only", only);
    program.add_option("--folder", folder);
    program.add_option("--seed", seed);
    program.add_flag("--five", five, "Five comets that differ, for looking at");
    program.add_flag("--large", large, "The time and memory of 26 megapixels, and nothing else");
    CLI11_PARSE(program, argc, argv);
    if (five) {
        showFive(folder);
        return 0;
    }
    if (large) {
        timeLarge(folder);
        return 0;
    }
    CometPlan colour;
    colour.seed = seed;
    if (small) {
        colour.width = 640;
        colour.height = 480;
        colour.count = 12;
        colour.stars = 120;
        colour.tailArcsec = 240.0;
    }
    CometPlan mono = colour;
    mono.isBayer = false;
    mono.width /= 2;
    mono.height /= 2;
    mono.arcsecPerPixel *= 2.0;
    mono.comaReach /= 2.0;
    mono.count = small ? 12 : 42;
    CometPlan luminance = mono;
    luminance.filters = {"L", "R", "G", "B"};
    luminance.count = small ? 16 : 44;
    for (const auto& [name, plan] : {std::pair{"colour-camera", colour},
                                     std::pair{"three-filters", mono},
                                     std::pair{"with-luminance", luminance}}) {
        if (only.empty() || only == name) {
            judge(name, plan, folder, keeps);
        }
    }
    fmt::print("memory at most {:.0f} MB\n", bench::peakMegabytes());
    return 0;
}
