#include "bench/support/process_usage.h"
#include "bench/support/read_with_cfitsio.h"
#include "core/base/parallel.h"
#include "core/frame/fits_file.h"
#include "core/stack/still_sky.h"
#include "simulate/painter.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <filesystem>
#include <functional>
#include <numbers>
#include <random>

// Stacks and the still sky of a big camera's night against reading the same pixels: both are done in one run on one machine, and both
// are printed. The limit of a stack is to read each frame with cfitsio and to resample it, on both cores. With --small it only checks
// the answers.

namespace {

namespace fs = std::filesystem;
using namespace pathmark;
using bench::peakMegabytes;
using bench::processorSeconds;

constexpr float kSky = 100.0F;
constexpr float kNoise = 10.0F;
constexpr double kArcsecAFrame = 2.0;

struct Sizes {
    int width = 6248;
    int height = 4176;
    int frames = 60;
    int stillFrames = 40;
    int stars = 4000;
};

struct Took {
    double seconds = 1e9;
    double processor = 1e9; ///< seconds of all cores
};

/// The shortest of a few runs: a machine that stalls lets none of them be too short.
Took timeOf(int runs, const std::function<void()>& work) {
    Took least;
    for (int i = 0; i < runs; ++i) {
        const auto start = std::chrono::steady_clock::now();
        const double before = processorSeconds();
        work();
        const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
        least.seconds = std::min(least.seconds, took.count());
        least.processor = std::min(least.processor, processorSeconds() - before);
    }
    return least;
}

void print(const std::string& what, const Took& took, const Took& limit, double aim) {
    fmt::print(
        "{:36} {:7.2f} s ({:7.2f} s of processor)  limit {:7.2f} s ({:7.2f})  ratio {:5.2f}  "
        "aim {:.1f}  {}\n",
        what,
        took.seconds,
        took.processor,
        limit.seconds,
        limit.processor,
        took.seconds / limit.seconds,
        aim,
        took.seconds <= aim * limit.seconds ? "" : "MISSED");
    std::fflush(stdout);
}

/// Frames of a mount that drifts, turns a little and is flipped half-way; a body moves through them.
struct Night {
    fs::path folder;
    std::vector<stack::StackFrame> frames;
    std::vector<stack::FramePixels> sizes;
    std::vector<SkyPos> body;

    Night(fs::path where, const Sizes& wanted, bool keeps)
        : folder(std::move(where)), keeps_(keeps) {
        fs::create_directories(folder);
        for (int i = 0; i < wanted.frames; ++i) {
            add(i, wanted);
        }
        parallelFor(frames.size(), [&](std::size_t i) {
            if (!fs::exists(frames[i].path)) {
                write(i, wanted);
            }
        });
    }

    ~Night() {
        if (!keeps_) {
            fs::remove_all(folder);
        }
    }

    Night(const Night&) = delete;
    Night& operator=(const Night&) = delete;

  private:
    void add(int i, const Sizes& wanted) {
        stack::StackFrame frame;
        frame::Wcs& wcs = frame.place.wcs;
        wcs.referenceSky = skyDegrees(100.0, 20.0);
        wcs.referencePixel = {0.5 * wanted.width + 1.3 * i, 0.5 * wanted.height - 0.7 * i};
        const double s = Angle::arcsec(1.0).radians();
        const double t = 0.0002 * i + (2 * i < wanted.frames ? 0.0 : std::numbers::pi);
        wcs.cd = {-s * std::cos(t), s * std::sin(t), s * std::sin(t), s * std::cos(t)};
        frame.path = folder / fmt::format("f{:03}.fits", i);
        frame.middle = Utc::julian(2464000.0).plusSeconds(60.0 * i);
        frame.noise = static_cast<double>(kNoise);
        frame.fwhm = 3.0 + 0.005 * i;
        body.push_back(
            offsetBy(wcs.referenceSky, kArcsecAFrame * (i - 0.5 * wanted.frames), 100.0));
        sizes.push_back({wanted.width, wanted.height});
        frames.push_back(std::move(frame));
    }

    void write(std::size_t i, const Sizes& wanted) const {
        frame::Image image(wanted.width, wanted.height);
        std::mt19937 random(static_cast<std::uint32_t>(i + 1));
        // Four of a generator's uniform numbers: near enough to a normal one where only time is asked for.
        for (float& v : image.pixels()) {
            const auto a = static_cast<std::uint32_t>(random());
            const std::uint32_t sum =
                (a & 255U) + ((a >> 8U) & 255U) + ((a >> 16U) & 255U) + (a >> 24U);
            v = kSky + kNoise * (static_cast<float>(sum) - 510.0F) / 147.8F;
        }
        std::mt19937 field(5);
        std::uniform_real_distribution<double> part(-0.5, 0.5);
        const auto& wcs = frames[i].place.wcs;
        const simulate::Blur blur{frames[i].fwhm, 0.0, 0.0, 3.2};
        const auto paint = [&](const SkyPos& place, double electrons) {
            if (const auto p = wcs.toPixel(place);
                p && p->x > 0.0 && p->y > 0.0 && p->x < wanted.width && p->y < wanted.height) {
                simulate::paintPoint(image, blur, p->x, p->y, electrons);
            }
        };
        for (int k = 0; k < wanted.stars; ++k) {
            const double east = part(field) * wanted.width;
            const double north = part(field) * wanted.height;
            paint(offsetBy(wcs.referenceSky, east, north),
                  1e5 * std::pow(10.0, -1.5 + 3.0 * part(field)));
        }
        paint(body[i], 5000.0);
        if (!frame::writeFits(frames[i].path, image, {})) {
            throw std::runtime_error("cannot write");
        }
    }

    bool keeps_;
};

/// On both cores.
void readAll(const Night& night,
             std::size_t count,
             const std::function<void(std::size_t, const frame::Image&)>& use) {
    parallelFor(count, [&](std::size_t i) {
        frame::Image image(night.sizes[i].width, night.sizes[i].height);
        bench::readWithCfitsio(night.frames[i].path, image);
        use(i, image);
    });
}

void benchStacks(const Night& night, const Sizes& sizes, int runs) {
    const stack::PixelGrid grid{night.frames.front().place.wcs, sizes.width, sizes.height};
    readAll(
        night, night.frames.size(), [](std::size_t, const frame::Image&) {}); // into the page cache
    for (const auto kernel : {stack::Kernel::Cubic, stack::Kernel::Lanczos3}) {
        stack::StackOptions options;
        options.resampling.kernel = kernel;
        const Took limit = timeOf(runs, [&] {
            readAll(night, night.frames.size(), [&](std::size_t i, const frame::Image& image) {
                stack::ImageSource source(image);
                if (!stack::resample(source,
                                     stack::fromGrid(night.frames[i].place, grid),
                                     {0, 0, sizes.width, sizes.height},
                                     options.resampling)) {
                    throw std::runtime_error("cannot resample");
                }
            });
        });
        std::optional<stack::Stack> made;
        const Took took = timeOf(runs, [&] {
            made.reset();
            made = *stack::stackFrames(night.frames, grid, options, {});
        });
        // What is left of the noise in the middle, where no star need be.
        if (!(std::abs(made->image.at(sizes.width / 2 + 40, sizes.height / 2)) < 60.0F)) {
            throw std::runtime_error("wrong answer: the sky is not taken off");
        }
        print(fmt::format("{} frames, clipped mean, {}", night.frames.size(), stack::name(kernel)),
              took,
              limit,
              1.5);
    }
    fmt::print(
        "{:44} {:8.2f} GB limit {:8.2f} GB\n", "peak memory so far", peakMegabytes() / 1024.0, 2.0);
}

void benchStillSky(const Night& night, std::size_t count, int runs) {
    const Took limit = timeOf(runs, [&] {
        for (int twice = 0; twice < 2; ++twice) {
            readAll(night, count, [](std::size_t, const frame::Image&) {});
        }
    });
    const fs::path out = night.folder / "still";
    fs::create_directories(out);
    const Took took = timeOf(runs, [&] {
        const auto without = stack::takeOutStillSky({std::span(night.frames).first(count),
                                                     std::span(night.sizes).first(count),
                                                     std::span(night.body).first(count)},
                                                    out,
                                                    {});
        if (!without) {
            throw std::runtime_error(without.error().detail);
        }
    });
    print(fmt::format("still sky of {} frames", count), took, limit, 3.0);
    fmt::print("{:44} {:8.2f} GB limit {:8.2f} GB\n", "peak memory", peakMegabytes() / 1024.0, 2.0);
}

} // namespace

int main(int argc, char** argv) {
    CLI::App program("Stacks and the still sky of a big camera against reading the same pixels");
    fs::path folder = fs::temp_directory_path() / "pathmark-bench-stack-large";
    Sizes sizes;
    bool small = false;
    bool keep = false;
    program.add_option("--folder", folder, "Where the made-up frames go (some 11 GB)");
    program.add_option("--frames", sizes.frames, "Frames of a stack");
    program.add_flag("--small", small, "Only check the answers, on small frames");
    program.add_flag("--keep", keep, "Leave the frames for another run");
    CLI11_PARSE(program, argc, argv);
    if (small) {
        sizes = {400, 300, 12, 8, 200};
        folder += "-small";
    }
    try {
        const int runs = small ? 1 : 2;
        fmt::print("{} x {} pixels, float\n", sizes.width, sizes.height);
        const Night night(folder, sizes, keep);
        benchStacks(night, sizes, runs);
        benchStillSky(
            night, static_cast<std::size_t>(std::min(sizes.stillFrames, sizes.frames)), runs);
    } catch (const std::exception& error) {
        fmt::print("ERROR OCCURRED: {}\n", error.what());
        return 1;
    }
    return 0;
}
