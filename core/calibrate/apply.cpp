#include "core/calibrate/apply.h"

#include "core/base/robust.h"

#include <fmt/format.h>

#include <cmath>
#include <limits>

namespace pathmark::calibrate {
namespace {

constexpr float kNan = std::numeric_limits<float>::quiet_NaN();

/// What to take off one pixel: the dark of this exposure, or bias and a dark scaled in time.
class Pedestal {
  public:
    Pedestal(const CalibrationSet& set, double exposureSeconds) : set_(set) {
        if (set.scaledDark != nullptr && set.scaledDark->exposureSeconds > 0.0) {
            scale_ = static_cast<float>(exposureSeconds / set.scaledDark->exposureSeconds);
        }
    }

    [[nodiscard]] float at(std::size_t i) const {
        if (set_.dark != nullptr) {
            return set_.dark->image.pixels()[i];
        }
        if (set_.bias == nullptr) {
            return 0.0F;
        }
        const float bias = set_.bias->image.pixels()[i];
        return set_.scaledDark == nullptr
                   ? bias
                   : bias + scale_ * (set_.scaledDark->image.pixels()[i] - bias);
    }

  private:
    const CalibrationSet& set_;
    float scale_ = 1.0F;
};

/// The level in a dark above which a pixel is too hot to be of use.
float hotLimit(const Master* dark, const frame::NoiseModel& noise) {
    if (dark == nullptr) {
        return std::numeric_limits<float>::infinity();
    }
    std::vector<float> values;
    const auto pixels = dark->image.pixels();
    for (std::size_t i = 0; i < pixels.size(); i += 11) {
        values.push_back(pixels[i]);
    }
    const double median = medianInPlace(std::span(values));
    const double read = noise.readNoiseElectrons > 0.0 ? noise.readNoiseElectrons : 5.0;
    // Nine times the variance of read noise and a faint sky of the same size.
    return static_cast<float>(median + 9.0 * 2.0 * read * read / noise.electronsPerAdu);
}

frame::Image sumTwoByTwo(const frame::Image& image) {
    frame::Image half(image.width() / 2, image.height() / 2);
    for (int y = 0; y < half.height(); ++y) {
        for (int x = 0; x < half.width(); ++x) {
            half.at(x, y) = image.at(2 * x, 2 * y) + image.at(2 * x + 1, 2 * y) +
                            image.at(2 * x, 2 * y + 1) + image.at(2 * x + 1, 2 * y + 1);
        }
    }
    return half;
}

void addProvenance(const CalibrationSet& set,
                   const frame::FrameInfo& info,
                   const CalibratedFrame& frame,
                   frame::Header& header) {
    const auto note = [&](const std::string& text) { header.add({"HISTORY", text, {}}); };
    header.set("BUNIT", std::string("electron"));
    header.set("PMGAIN", set.noise.electronsPerAdu, "[e/ADU] applied");
    header.set("PMRDNOIS", set.noise.readNoiseElectrons, "[e] read noise of one raw pixel");
    header.set("PMSATUR", frame.saturationElectrons, "[e] not to be trusted from here on");
    header.set("PMDEFECT", static_cast<long long>(frame.defects), "pixels set to NaN as defect");
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    header.remove("GAIN");
    header.remove("EGAIN");
    note("Path Mark: calibrated from " + info.path.filename().string());
    for (const Master* master : {set.dark, set.bias, set.scaledDark, set.flat}) {
        if (master != nullptr) {
            note(fmt::format(
                "{}: {} frames, {}", frame::name(master->kind), master->frameCount, master->how));
        }
    }
    if (set.scaledDark != nullptr) {
        note(fmt::format("dark scaled from {} s to {} s",
                         set.scaledDark->exposureSeconds,
                         info.exposureSeconds));
    }
    if (!info.bayerPattern.empty()) {
        note("Bayer cells of 2 x 2 summed to one pixel (" + info.bayerPattern + ")");
        header.remove("BAYERPAT");
        header.set("PMBAYER", info.bayerPattern, "summed 2 x 2");
        for (const char* key : {"XPIXSZ", "YPIXSZ"}) {
            if (const auto size = header.number(key)) {
                header.set(key, 2.0 * *size, "[um] of a summed pixel");
            }
        }
    }
}

} // namespace

CalibratedFrame applyCalibration(const frame::LoadedFrame& light,
                                 const frame::FrameInfo& info,
                                 const CalibrationSet& set) {
    const auto raw = light.image.pixels();
    for (const Master* master : {set.dark, set.bias, set.scaledDark, set.flat}) {
        PATHMARK_EXPECTS(master == nullptr || master->image.pixels().size() == raw.size());
    }
    const Pedestal pedestal(set, info.exposureSeconds);
    const Master* anyDark = set.dark != nullptr ? set.dark : set.scaledDark;
    const float hot = hotLimit(anyDark, set.noise);
    const auto gain = static_cast<float>(set.noise.electronsPerAdu);

    CalibratedFrame result;
    result.image = frame::Image(light.image.width(), light.image.height());
    auto out = result.image.pixels();
    for (std::size_t i = 0; i < raw.size(); ++i) {
        if (anyDark != nullptr && anyDark->image.pixels()[i] > hot) {
            out[i] = kNan;
            ++result.defects;
            continue;
        }
        const float flat = set.flat != nullptr ? set.flat->image.pixels()[i] : 1.0F;
        out[i] = gain * (raw[i] - pedestal.at(i)) / flat;
    }
    // A tenth below the end of the range, where real detectors bend, and at its dimmest flat.
    const double pedestalLevel = static_cast<double>(pedestal.at(raw.size() / 2));
    result.saturationElectrons =
        0.85 * set.noise.electronsPerAdu * (set.noise.saturationAdu - pedestalLevel);
    if (!info.bayerPattern.empty()) {
        result.image = sumTwoByTwo(result.image);
    }
    result.header = light.header;
    addProvenance(set, info, result, result.header);
    return result;
}

} // namespace pathmark::calibrate
