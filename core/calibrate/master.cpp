#include "core/calibrate/master.h"

#include "core/base/robust.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::calibrate {
namespace {

std::vector<std::filesystem::path> pathsOf(const FrameGroup& group) {
    std::vector<std::filesystem::path> paths;
    for (const auto& info : group.frames) {
        paths.push_back(info.path);
    }
    return paths;
}

Master describe(const FrameGroup& group, const CombinationChoice& choice) {
    Master master;
    master.kind = group.example.kind;
    master.exposureSeconds = group.example.exposureSeconds;
    master.frameCount = static_cast<int>(group.frames.size());
    master.how = fmt::format("{} ({})", name(choice.combination), choice.reason);
    return master;
}

/// Median of the middle half of a frame, the pedestal taken off, from every seventh pixel.
double middleLevel(const frame::Image& image, const frame::Image* pedestal) {
    std::vector<float> values;
    for (int y = image.height() / 4; y < 3 * image.height() / 4; y += 3) {
        for (int x = image.width() / 4; x < 3 * image.width() / 4; x += 7) {
            values.push_back(image.at(x, y) - (pedestal != nullptr ? pedestal->at(x, y) : 0.0F));
        }
    }
    return medianInPlace(std::span(values));
}

/// The level of each flat, and those of them that are well exposed.
struct FlatLevels {
    std::vector<std::filesystem::path> files;
    std::vector<double> levels;
    std::vector<std::string> warnings;
};

Result<FlatLevels>
measureLevels(const FrameGroup& group, const frame::Image* pedestal, double saturationAdu) {
    FlatLevels result;
    for (const auto& info : group.frames) {
        auto loaded = frame::readFits(info.path);
        if (!loaded) {
            return fail(loaded.error());
        }
        const double level = middleLevel(loaded->image, pedestal);
        if (level < 0.01 * saturationAdu || level > 0.9 * saturationAdu) {
            result.warnings.push_back(
                fmt::format("{}: left out of the flat, its level of {:.0f} ADU is {}",
                            info.path.filename().string(),
                            level,
                            level > 0.5 * saturationAdu ? "near saturation" : "too low"));
            continue;
        }
        result.files.push_back(info.path);
        result.levels.push_back(level);
    }
    return result;
}

} // namespace

Result<Master> buildMaster(const FrameGroup& group, const Job& job) {
    const auto choice = chooseCombination(static_cast<int>(group.frames.size()));
    const auto paths = pathsOf(group);
    auto image = combineFiles(paths, choice.combination, {}, job);
    if (!image) {
        return fail(image.error());
    }
    Master master = describe(group, choice);
    master.image = std::move(*image);
    return master;
}

Result<Master>
buildFlat(const FrameGroup& group, const Master* pedestal, double saturationAdu, const Job& job) {
    const frame::Image* pedestalImage = pedestal != nullptr ? &pedestal->image : nullptr;
    auto levels = measureLevels(group, pedestalImage, saturationAdu);
    if (!levels) {
        return fail(levels.error());
    }
    if (levels->files.empty()) {
        return fail(ErrorId::CalibrateNoFrames,
                    "Every flat is too faint or saturated; take flats at a third to a half of the "
                    "camera's range.",
                    group.title());
    }
    const auto choice = chooseCombination(static_cast<int>(levels->files.size()));
    const auto prepare = [&](std::size_t index, int firstRow, std::span<float> rows) {
        const auto scale = static_cast<float>(1.0 / levels->levels[index]);
        const std::size_t offset = pedestalImage != nullptr ? pedestalImage->index(0, firstRow) : 0;
        for (std::size_t i = 0; i < rows.size(); ++i) {
            const float level =
                pedestalImage != nullptr ? pedestalImage->pixels()[offset + i] : 0.0F;
            rows[i] = (rows[i] - level) * scale;
        }
    };
    auto image = combineFiles(levels->files, choice.combination, prepare, job);
    if (!image) {
        return fail(image.error());
    }
    Master master = describe(group, choice);
    master.frameCount = static_cast<int>(levels->files.size());
    master.warnings = std::move(levels->warnings);
    std::vector<float> values(image->pixels().begin(), image->pixels().end());
    const auto median = static_cast<float>(medianInPlace(std::span(values)));
    for (float& v : image->pixels()) {
        v /= median;
        // A pixel that sees next to nothing cannot be corrected.
        if (!(v > 0.05F)) {
            v = std::numeric_limits<float>::quiet_NaN();
        }
    }
    master.image = std::move(*image);
    return master;
}

frame::Header masterHeader(const Master& master) {
    frame::Header header;
    header.set("IMAGETYP", std::string("master ") + frame::name(master.kind));
    header.set("EXPTIME", master.exposureSeconds, "[s]");
    header.set("NCOMBINE", static_cast<long long>(master.frameCount), "frames combined");
    header.set("COMBINE", master.how);
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    return header;
}

Result<Master> readMaster(const std::filesystem::path& path) {
    auto loaded = frame::readFits(path);
    if (!loaded) {
        return fail(loaded.error());
    }
    Master master;
    master.image = std::move(loaded->image);
    const std::string type = loaded->header.text("IMAGETYP").value_or("");
    master.kind = frame::frameKindNamed(type.starts_with("master ") ? type.substr(7) : type)
                      .value_or(frame::FrameKind::Unknown);
    master.exposureSeconds = loaded->header.number("EXPTIME").value_or(0.0);
    master.frameCount = static_cast<int>(loaded->header.number("NCOMBINE").value_or(0.0));
    master.how = loaded->header.text("COMBINE").value_or("");
    return master;
}

} // namespace pathmark::calibrate
