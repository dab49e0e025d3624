#include "core/calibrate/master.h"

#include "core/base/robust.h"
#include "core/calibrate/apply_pixels.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/open_frame.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace pathmark::calibrate {
namespace {

using frame::FrameKind;

std::vector<std::filesystem::path> pathsOf(const FrameGroup& group) {
    std::vector<std::filesystem::path> paths;
    for (const auto& info : group.frames) {
        paths.push_back(info.path);
    }
    return paths;
}

struct Chosen {
    combine::CombineRule rule;
    std::string how;
};

Chosen chooseFor(std::size_t frames, const MasterOptions& options) {
    const auto choice = combine::chooseCombination(static_cast<int>(frames));
    Chosen chosen;
    if (options.combination) {
        chosen.rule.combination = *options.combination;
        chosen.how = fmt::format("{} ({} frames: as set)", name(*options.combination), frames);
    } else {
        chosen.rule.combination = choice.combination;
        chosen.how = fmt::format("{} ({})", name(choice.combination), choice.reason);
    }
    return chosen;
}

Master describe(const FrameGroup& group, std::size_t frames, std::string how) {
    Master master;
    master.example = group.example;
    if (group.middleJulian > 0.0) {
        master.example.midExposure = Utc::julian(group.middleJulian);
    }
    master.frameCount = static_cast<int>(frames);
    master.how = std::move(how);
    return master;
}

/// Median over 48 rows of the middle half of a frame, the pedestal taken off.
Result<double> middleLevel(frame::FrameSource& source, const frame::Image* pedestal) {
    std::vector<float> values;
    std::vector<float> row(static_cast<std::size_t>(source.width()));
    const int height = source.height();
    const int step = std::max(1, height / 96);
    for (int y = height / 4; y < std::max(3 * height / 4, height / 4 + 1); y += step) {
        if (auto read = source.rows(y, row); !read) {
            return fail(read.error());
        }
        for (int x = source.width() / 4;
             x < std::max(3 * source.width() / 4, source.width() / 4 + 1);
             x += 3) {
            const float under = pedestal != nullptr ? pedestal->at(x, y) : 0.0F;
            const float value = row[static_cast<std::size_t>(x)] - under;
            if (std::isfinite(value)) {
                values.push_back(value);
            }
        }
    }
    return values.empty() ? 0.0 : medianInPlace(std::span(values));
}

/// The level of each flat, and those of them that are well exposed.
struct FlatLevels {
    std::vector<std::filesystem::path> files;
    std::vector<float> scales;
    std::vector<std::string> warnings;
    double level = 0.0; ///< mean, ADU
};

Result<FlatLevels>
measureLevels(const FrameGroup& group, const frame::Image* pedestal, double saturationAdu) {
    FlatLevels result;
    for (const auto& info : group.frames) {
        auto source = frame::openFrame(info.path);
        if (!source) {
            return fail(source.error());
        }
        if (pedestal != nullptr && ((*source)->width() != pedestal->width() ||
                                    (*source)->height() != pedestal->height())) {
            return fail(ErrorId::CalibrateSizesDiffer,
                        "This flat has another size than its dark or bias; leave it out.",
                        info.path.string());
        }
        const auto level = middleLevel(**source, pedestal);
        if (!level) {
            return fail(level.error());
        }
        if (*level < 0.01 * saturationAdu || *level > 0.9 * saturationAdu) {
            result.warnings.push_back(
                fmt::format("{}: left out of the flat, its level of {:.0f} ADU is {}",
                            info.path.filename().string(),
                            *level,
                            *level > 0.5 * saturationAdu ? "near saturation" : "too low"));
            continue;
        }
        result.files.push_back(info.path);
        result.scales.push_back(static_cast<float>(1.0 / *level));
        result.level += *level;
    }
    result.level /= std::max<double>(1.0, static_cast<double>(result.files.size()));
    return result;
}

/// The level where the optics lose least light: the brightest of the medians of large cells, the uppermost few left out
/// for what dust and gradients may do to them.
double fullLight(const frame::Image& flat) {
    constexpr int cells = 24;
    std::vector<double> medians;
    for (int row = 0; row < cells; ++row) {
        for (int column = 0; column < cells; ++column) {
            std::vector<float> values;
            const int y1 = (row + 1) * flat.height() / cells;
            const int x0 = column * flat.width() / cells;
            const int x1 = (column + 1) * flat.width() / cells;
            for (int y = row * flat.height() / cells; y < y1; ++y) {
                for (int x = x0; x < x1; ++x) {
                    if (std::isfinite(flat.at(x, y))) {
                        values.push_back(flat.at(x, y));
                    }
                }
            }
            if (!values.empty()) {
                medians.push_back(medianInPlace(std::span(values)));
            }
        }
    }
    if (medians.empty()) {
        return 0.0;
    }
    const auto at = medians.begin() + static_cast<std::ptrdiff_t>(medians.size() * 95 / 100);
    std::nth_element(medians.begin(), at, medians.end());
    return *at;
}

/// The pixels that see a colour; the others without a value.
frame::Image ofColour(const frame::Image& image, const frame::ColourPattern& pattern, char colour) {
    frame::Image result = image;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            if (pattern.at(x, y) != colour) {
                result.at(x, y) = frame::kNoValue;
            }
        }
    }
    return result;
}

/// The full light at every pixel of the pattern's square, row by row: that of its colour, so that the lamp's colour does not change what
/// an electron is. A camera without colours has a square of one pixel.
struct FullLight {
    int side = 1;
    std::vector<double> ofPixels;

    explicit FullLight(const Master& flat) {
        const auto pattern = frame::ColourPattern::of(flat.example.bayerPattern);
        if (!pattern) {
            ofPixels = {fullLight(flat.image)};
            return;
        }
        side = pattern->side();
        ofPixels.resize(pattern->letters().size());
        for (const char colour : {'R', 'G', 'B'}) {
            const double own = fullLight(ofColour(flat.image, *pattern, colour));
            for (std::size_t k = 0; k < ofPixels.size(); ++k) {
                ofPixels[k] = pattern->letters()[k] == colour ? own : ofPixels[k];
            }
        }
    }

    [[nodiscard]] double at(int x, int y) const {
        return ofPixels[static_cast<std::size_t>(y % side * side + x % side)];
    }
};

/// Brings a flat to 1 where the optics lose least light, each colour of a mosaic by itself, so that electrons there stay what they
/// were and the zero point is that of full light; marks what sees next to nothing.
void normaliseFlat(Master& flat) {
    const FullLight full(flat);
    for (int y = 0; y < flat.image.height(); ++y) {
        for (int x = 0; x < flat.image.width(); ++x) {
            const double own = full.at(x, y);
            const auto scale = static_cast<float>(1.0 / (own > 0.0 ? own : 1.0));
            float& v = flat.image.at(x, y);
            v *= scale;
            // A pixel that sees next to nothing cannot be corrected.
            if (!(v > 0.05F)) {
                v = frame::kNoValue;
            }
            if (!flat.variance.empty()) {
                flat.variance.at(x, y) *= scale * scale;
            }
        }
    }
}

} // namespace

Result<Master> buildMaster(const FrameGroup& group, const MasterOptions& options, const Job& job) {
    if (group.isReady()) {
        return readMaster(group.frames.front().path);
    }
    const auto chosen = chooseFor(group.frames.size(), options);
    const auto paths = pathsOf(group);
    auto combined = combine::combineFiles(paths, chosen.rule, {}, job);
    if (!combined) {
        return fail(combined.error());
    }
    Master master = describe(group, group.frames.size(), chosen.how);
    master.image = std::move(combined->value);
    master.variance = std::move(combined->variance);
    return master;
}

Result<Master> buildFlat(const FrameGroup& group,
                         const Master* pedestal,
                         const MasterOptions& options,
                         const Job& job) {
    if (group.isReady()) {
        return readMaster(group.frames.front().path);
    }
    const frame::Image* under = pedestal != nullptr ? &pedestal->image : nullptr;
    auto levels = measureLevels(group, under, options.saturationAdu);
    if (!levels) {
        return fail(levels.error());
    }
    if (levels->files.empty()) {
        return fail(ErrorId::CalibrateNoFrames,
                    "Every flat is too faint or saturated; take flats at a third to a half of the "
                    "camera's range.",
                    group.title());
    }
    const auto chosen = chooseFor(levels->files.size(), options);
    const auto prepare = [&](std::size_t index, std::size_t firstPixel, std::span<float> pixels) {
        const float scale = levels->scales[index];
        if (under == nullptr) {
            scalePixels(pixels.data(), nullptr, scale, pixels.size());
        } else {
            scalePixels(pixels.data(), under->pixels().data() + firstPixel, scale, pixels.size());
        }
    };
    auto combined = combine::combineFiles(levels->files, chosen.rule, prepare, job);
    if (!combined) {
        return fail(combined.error());
    }
    Master master = describe(group, levels->files.size(), chosen.how);
    master.image = std::move(combined->value);
    master.variance = std::move(combined->variance);
    master.warnings = std::move(levels->warnings);
    if (pedestal != nullptr && !pedestal->variance.empty() && !master.variance.empty()) {
        // The same pedestal went into every flat: its noise does not average out.
        const auto factor = static_cast<float>(1.0 / (levels->level * levels->level));
        const auto more = pedestal->variance.pixels();
        auto own = master.variance.pixels();
        std::transform(own.begin(), own.end(), more.begin(), own.begin(), [&](float v, float p) {
            return v + p * factor;
        });
    }
    normaliseFlat(master);
    return master;
}

void Master::forgetVariance() {
    pixelError = typicalError();
    variance = {};
}

double Master::typicalError() const {
    constexpr std::size_t sampled = 13; // of so many pixels one tells it
    return variance.empty() ? pixelError : std::sqrt(sampledMedian(variance.pixels(), sampled));
}

Master scaledPedestal(const Master& bias, const Master& dark, double scale) {
    PATHMARK_EXPECTS(bias.image.pixels().size() == dark.image.pixels().size());
    Master result;
    result.example = dark.example;
    result.example.exposureSeconds = scale * dark.example.exposureSeconds;
    result.frameCount = dark.frameCount;
    result.how = fmt::format("bias + {:.4f} x (dark - bias)", scale);
    result.image = bias.image;
    const auto k = static_cast<float>(scale);
    const auto d = dark.image.pixels();
    auto out = result.image.pixels();
    std::transform(out.begin(), out.end(), d.begin(), out.begin(), [&](float b, float v) {
        return b + k * (v - b);
    });
    if (!bias.variance.empty() && !dark.variance.empty()) {
        result.variance = bias.variance;
        const auto vd = dark.variance.pixels();
        auto variance = result.variance.pixels();
        std::transform(
            variance.begin(), variance.end(), vd.begin(), variance.begin(), [&](float b, float v) {
                return (1.0F - k) * (1.0F - k) * b + k * k * v;
            });
    }
    return result;
}

frame::Header masterHeader(const Master& master) {
    const frame::FrameInfo& info = master.example;
    frame::Header header;
    header.set("IMAGETYP", std::string("master ") + frame::name(info.kind));
    if (info.exposureKnown) {
        header.set("EXPTIME", info.exposureSeconds, "[s]");
    }
    const auto number =
        [&](const char* key, const std::optional<double>& value, const char* comment) {
            if (value) {
                header.set(key, *value, comment);
            }
        };
    const auto words = [&](const char* key, const std::string& value) {
        if (!value.empty()) {
            header.set(key, value);
        }
    };
    number("SET-TEMP", info.temperatureCelsius, "[deg C] of the frames");
    number("GAIN", info.gainSetting, "the camera's setting");
    number("OFFSET", info.offsetSetting, "the camera's setting");
    number("ROTATANG", info.rotationDegrees, "[deg]");
    number("EGAIN", info.electronsPerAdu, "[e-/ADU]");
    words("INSTRUME", info.camera);
    words("READOUTM", info.readoutMode);
    words("FILTER", info.filter);
    words("BAYERPAT", info.bayerPattern);
    header.set("XBINNING", static_cast<long long>(info.binningX));
    header.set("YBINNING", static_cast<long long>(info.binningY));
    if (info.midExposure) {
        header.set("DATE-AVG", toIso(*info.midExposure).substr(0, 23), "mean of the frames (UTC)");
    }
    header.set("NCOMBINE", static_cast<long long>(master.frameCount), "frames combined");
    header.set("COMBINE", master.how.substr(0, master.how.find(" (")));
    // The reason too: in cards that are broken between words, as a value of a keyword cannot be.
    header.add({"HISTORY", master.how, {}});
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    if (!master.key.empty()) {
        header.set(frame::kResultKeyword, master.key, "digest of what it was made from");
    }
    return header;
}

Result<bool> writeMaster(const std::filesystem::path& path, const Master& master) {
    std::vector<frame::NamedImage> extensions;
    if (!master.variance.empty()) {
        extensions.push_back({"VARIANCE", &master.variance});
    }
    return frame::writeFits(
        path, master.image, masterHeader(master), frame::PixelType::Float32, extensions);
}

namespace {

/// How a master was combined; of ours with the reason, which stands in HISTORY.
std::string howCombined(const frame::Header& header) {
    std::string how = header.text("COMBINE").value_or("as it was found");
    std::string words;
    for (const frame::Card& card : header.cards()) {
        if (card.keyword == "HISTORY") {
            words += (words.empty() ? "" : " ") + frame::cardText(card);
        }
    }
    return frame::isOwnResult(header) && words.starts_with(how) ? words : how;
}

} // namespace

Result<Master> readMaster(const std::filesystem::path& path) {
    auto loaded = frame::readFrame(path);
    if (!loaded) {
        return fail(loaded.error());
    }
    Master master;
    master.example =
        frame::describeFrame(path, loaded->image.width(), loaded->image.height(), loaded->header);
    master.image = std::move(loaded->image);
    master.frameCount = static_cast<int>(loaded->header.number("NCOMBINE").value_or(1.0));
    master.how = howCombined(loaded->header);
    master.key = loaded->header.text(frame::kResultKeyword).value_or("");
    if (!master.key.empty()) {
        if (auto reader = frame::FitsReader::open(path)) {
            if (auto variance = reader->extension("VARIANCE")) {
                master.variance = std::move(*variance);
            }
        }
    } else if (master.example.kind == FrameKind::Flat) {
        normaliseFlat(master);
    }
    return master;
}

} // namespace pathmark::calibrate
