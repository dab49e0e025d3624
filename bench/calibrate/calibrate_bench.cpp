#include "bench/support/process_usage.h"
#include "bench/support/read_with_cfitsio.h"
#include "core/base/parallel.h"
#include "core/calibrate/apply.h"
#include "core/calibrate/master.h"
#include "core/calibrate/particle_hits.h"
#include "core/frame/open_frame.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdint>
#include <filesystem>
#include <functional>

// Masters and calibrated lights of one big camera against reading and writing the same pixels: both are done in one
// run on one machine, and both are printed. With --small it only checks the answers.

namespace {

namespace fs = std::filesystem;
using namespace pathmark;

struct Sizes {
    int width = 6248;
    int height = 4176;
    int frames = 50;
    int lights = 60;
};

double seconds(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// A frame with some noise in it, different in every file, by a cheap hash.
frame::Image madeUp(const Sizes& sizes, std::uint32_t seed, float level) {
    frame::Image image(sizes.width, sizes.height);
    parallelFor(static_cast<std::size_t>(sizes.height), [&](std::size_t row) {
        std::uint32_t state = seed * 2654435761U + static_cast<std::uint32_t>(row) * 40503U + 1U;
        for (float& v : image.row(static_cast<int>(row))) {
            state ^= state << 13U;
            state ^= state >> 17U;
            state ^= state << 5U;
            v = std::round(level + 0.001F * static_cast<float>(state % 40000U));
        }
    });
    return image;
}

calibrate::FrameGroup makeGroup(
    const fs::path& folder, const Sizes& sizes, frame::FrameKind kind, int count, float level) {
    calibrate::FrameGroup group;
    for (int i = 0; i < count; ++i) {
        frame::FrameInfo info;
        info.path = folder / fmt::format("{}{:03}.fits", frame::name(kind), i);
        info.kind = kind;
        info.width = sizes.width;
        info.height = sizes.height;
        info.exposureSeconds = 60.0;
        info.exposureKnown = true;
        if (!fs::exists(info.path)) {
            const auto image =
                madeUp(sizes,
                       static_cast<std::uint32_t>(i + 1) + static_cast<std::uint32_t>(level),
                       level);
            if (!frame::writeFits(info.path, image, {}, frame::PixelType::UInt16)) {
                throw std::runtime_error("cannot write " + info.path.string());
            }
        }
        group.frames.push_back(info);
    }
    group.example = group.frames.front();
    return group;
}

/// The limit: every pixel once as float through cfitsio, whole frames one after another.
void readWithCfitsio(const calibrate::FrameGroup& group,
                     const std::function<void(std::size_t, frame::Image&)>& use) {
    frame::Image image(group.example.width, group.example.height);
    for (std::size_t i = 0; i < group.frames.size(); ++i) {
        bench::readWithCfitsio(group.frames[i].path, image);
        use(i, image);
    }
}

bool within(const char* what, double took, double limit, double factor) {
    const bool good = took <= factor * limit;
    fmt::print("{:44} {:8.2f} s  limit {:8.2f} s  ratio {:5.2f}  aim {:.1f}  {}\n",
               what,
               took,
               limit,
               took / limit,
               factor,
               good ? "" : "MISSED");
    return good;
}

void checkMaster(const calibrate::Master& master, float level) {
    const double mean = static_cast<double>(master.image.at(10, 10)) - static_cast<double>(level);
    if (!(std::abs(mean - 20.0) < 15.0) || master.variance.empty()) {
        throw std::runtime_error("wrong answer: the master is not the mean of its frames");
    }
}

void benchMasters(const fs::path& folder, const Sizes& sizes) {
    const auto darks = makeGroup(folder, sizes, frame::FrameKind::Dark, sizes.frames, 500.0F);
    const auto flats = makeGroup(folder, sizes, frame::FrameKind::Flat, sizes.frames, 20000.0F);
    volatile float sink = 0.0F;
    const auto use = [&](std::size_t, frame::Image& image) { sink = sink + image.at(1, 1); };
    readWithCfitsio(darks, use); // into the page cache, for both sides
    const double limit = seconds([&] { readWithCfitsio(darks, use); });
    readWithCfitsio(flats, use);
    for (const auto combination : {combine::Combination::SigmaClip,
                                   combine::Combination::Median,
                                   combine::Combination::WinsorisedClip,
                                   combine::Combination::PercentileClip,
                                   combine::Combination::LineClip,
                                   combine::Combination::Mean}) {
        std::optional<calibrate::Master> master;
        const double took = seconds([&] {
            master = *calibrate::buildMaster(darks, {combination, 65535.0}, {});
        });
        checkMaster(*master, 500.0F);
        within(fmt::format("master of {} frames, {}", sizes.frames, combine::name(combination))
                   .c_str(),
               took,
               limit,
               2.0);
    }
    const auto bias = *calibrate::buildMaster(darks, {}, {});
    const double flat = seconds([&] {
        if (!calibrate::buildFlat(flats, &bias, {}, {})) {
            throw std::runtime_error("no flat");
        }
    });
    within(fmt::format("flat of {} frames, less its bias", sizes.frames).c_str(), flat, limit, 2.0);
    fmt::print("{:44} {:8.2f} GB limit {:8.2f} GB\n",
               "peak memory so far",
               bench::peakMegabytes() / 1024.0,
               1.5);
}

void benchLights(const fs::path& folder, const Sizes& sizes) {
    const auto lights = makeGroup(folder, sizes, frame::FrameKind::Light, sizes.lights, 900.0F);
    const fs::path out = folder / "out";
    fs::create_directories(out);
    const auto target = [&](std::size_t i) { return out / fmt::format("c{:03}.fits", i); };
    readWithCfitsio(lights, [](std::size_t, frame::Image&) {});
    const double limit = seconds([&] {
        readWithCfitsio(lights, [&](std::size_t i, frame::Image& image) {
            if (!frame::writeFits(target(i), image, {})) {
                throw std::runtime_error("cannot write");
            }
        });
    });
    calibrate::Master dark;
    dark.image = madeUp(sizes, 7, 500.0F);
    dark.frameCount = 10;
    dark.example.exposureSeconds = 60.0;
    calibrate::Master flat;
    flat.image = frame::Image(sizes.width, sizes.height, 1.0F);
    calibrate::CalibrationSet set;
    set.dark = &dark;
    set.flat = &flat;
    set.noise = {1.0, 5.0, 65535.0};
    for (const bool hits : {false, true}) {
        std::atomic<bool> failed = false;
        const double took = seconds([&] {
            const calibrate::Calibrator calibrator(set, lights.example);
            overlapFor(lights.frames.size(), 4, [&](std::size_t i) {
                const auto& info = lights.frames[i];
                auto raw = frame::readFrame(info.path);
                auto frame = calibrator.apply(std::move(*raw), info);
                if (hits) {
                    calibrate::maskParticleHits(frame.image, {3.0, 1.0, 5.0, 6.0});
                }
                if (!frame::writeFits(target(i), frame.image, frame.header)) {
                    failed = true;
                }
            });
        });
        if (failed) {
            throw std::runtime_error("cannot write");
        }
        within(fmt::format("calibrating {} lights{}", sizes.lights, hits ? ", hits masked" : "")
                   .c_str(),
               took,
               limit,
               1.5);
    }
    const auto first = frame::readFits(target(0));
    if (!first || !(std::abs(first->image.at(100, 100) - 400.0F) < 45.0F)) {
        throw std::runtime_error("wrong answer: the light less its dark is not 400");
    }
    fmt::print(
        "{:44} {:8.2f} GB limit {:8.2f} GB\n", "peak memory", bench::peakMegabytes() / 1024.0, 1.5);
}

} // namespace

int main(int argc, char** argv) {
    CLI::App program("Masters and calibrated lights against reading and writing the same pixels");
    fs::path folder = fs::temp_directory_path() / "pathmark-bench-calibrate";
    Sizes sizes;
    bool small = false;
    bool keep = false;
    program.add_option("--folder", folder, "Where the made-up frames go (some 15 GB)");
    program.add_option("--frames", sizes.frames, "Frames of a master");
    program.add_option("--lights", sizes.lights, "Lights to calibrate");
    program.add_flag("--small", small, "Only check the answers, on small frames");
    program.add_flag("--keep", keep, "Leave the frames for another run");
    CLI11_PARSE(program, argc, argv);
    if (small) {
        sizes = {300, 200, 12, 6};
        folder += "-small";
    }
    try {
        fs::create_directories(folder);
        fmt::print("{} x {} pixels, 16 bits\n", sizes.width, sizes.height);
        benchMasters(folder, sizes);
        benchLights(folder, sizes);
    } catch (const std::exception& error) {
        fmt::print("ERROR OCCURRED: {}\n", error.what());
        fs::remove_all(folder);
        return 1;
    }
    if (!keep) {
        fs::remove_all(folder);
    }
    return 0;
}
