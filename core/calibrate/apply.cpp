#include "core/calibrate/apply.h"

#include "core/base/names.h"
#include "core/base/robust.h"
#include "core/calibrate/apply_pixels.h"
#include "core/calibrate/ceiling.h"
#include "core/calibrate/colour_planes.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

namespace pathmark::calibrate {
namespace {

constexpr std::array kColourNames{
    std::pair{Colour::Sum, "sum"},
    std::pair{Colour::Red, "red"},
    std::pair{Colour::Green, "green"},
    std::pair{Colour::Blue, "blue"},
    std::pair{Colour::Full, "full"},
    std::pair{Colour::Keep, "keep"},
};

double middleOf(const frame::Image& image) {
    return sampledMedian(image.pixels(), 13);
}

std::string idOf(const Master& master) {
    return master.key.empty() ? std::string() : " " + master.key.substr(0, 16);
}

void addColour(const CalibrationSet& set, const frame::FrameInfo& info, frame::Header& header) {
    if (info.bayerPattern.empty() || set.colour == Colour::Keep) {
        return;
    }
    if (set.colour == Colour::Full) {
        header.add({"HISTORY", "three colours interpolated along edges; this is the green", {}});
        header.remove("BAYERPAT");
        header.set(frame::kColourKeyword, std::string(name(set.colour)));
        return;
    }
    const int cell = knownPattern(info.bayerPattern).cell();
    header.add(
        {"HISTORY",
         set.colour == Colour::Sum
             ? fmt::format("cells of {0} x {0} summed to one pixel ({1})", cell, info.bayerPattern)
             : fmt::format("the {} plane of the cells ({})", name(set.colour), info.bayerPattern),
         {}});
    header.remove("BAYERPAT");
    header.set(frame::kPatternKeyword,
               info.bayerPattern,
               fmt::format("cells of {0} x {0}: {1}", cell, name(set.colour)));
    header.set(frame::kColourKeyword, std::string(name(set.colour)));
    for (const char* key : {"XPIXSZ", "YPIXSZ"}) {
        if (const auto size = header.number(key)) {
            header.set(key, cell * *size, "[um] of a cell");
        }
    }
    const PlaneGeometry plane = planeGeometry(set.colour, info.bayerPattern);
    header.set(
        "PMPLANEX", plane.x, "[px] of the raw frame where this plane's first pixel lies, from 0");
    header.set("PMPLANEY", plane.y, "[px] likewise");
    if (const auto raw = frame::readWcs(header)) {
        frame::writeWcs(wcsOfPlane(*raw, plane), header);
    }
}

} // namespace

const char* name(Colour colour) {
    return nameIn(kColourNames, colour);
}

std::optional<Colour> colourNamed(std::string_view text) {
    return valueNamed(kColourNames, text);
}

Calibrator::Calibrator(const CalibrationSet& set, const frame::FrameInfo& example) : set_(set) {
    pedestal_ = set.dark != nullptr ? set.dark : set.bias;
    if (set.dark == nullptr && set.bias != nullptr && set.scaledDark != nullptr) {
        const double dark = set.scaledDark->example.exposureSeconds;
        darkScale_ = set.darkScale > 0.0 ? set.darkScale
                     : dark > 0.0        ? example.exposureSeconds / dark
                                         : 0.0;
        scaled_ = scaledPedestal(*set.bias, *set.scaledDark, darkScale_);
        pedestal_ = &scaled_;
    }
    defects_ = findDefects(set.dark != nullptr ? set.dark : set.scaledDark, set.flat, set.noise);
    const auto size =
        static_cast<std::size_t>(example.width) * static_cast<std::size_t>(example.height);
    factor_ =
        frame::Image(example.width, example.height, static_cast<float>(set.noise.electronsPerAdu));
    auto factor = factor_.pixels();
    if (set.flat != nullptr) {
        PATHMARK_EXPECTS(set.flat->image.pixels().size() == size);
        const auto flat = set.flat->image.pixels();
        for (std::size_t i = 0; i < size; ++i) {
            factor[i] /= flat[i];
        }
        flatError_ = set.flat->typicalError() / middleOf(set.flat->image);
    }
    if (set.defects != nullptr && set.defects->pixels.size() == size) {
        defects_.add(*set.defects);
    }
    for (std::size_t i = 0; i < defects_.pixels.size(); ++i) {
        factor[i] = defects_.pixels[i] == Defect::None ? factor[i] : frame::kNoValue;
    }
    set_.defects = nullptr; // what it said stands among the defects now
    if (set.bias != nullptr) {
        biasLevel_ = middleOf(set.bias->image);
    } else if (pedestal_ != nullptr) {
        biasLevel_ = middleOf(pedestal_->image);
    }
    pedestalLevel_ = pedestal_ != nullptr ? middleOf(pedestal_->image) : 0.0;
    saturationElectrons_ = trustedElectrons(set.noise.saturationAdu);
}

double Calibrator::trustedElectrons(double rangeAdu) const {
    // A tenth below the end of the range, where real detectors bend, and at its dimmest flat.
    return 0.85 * set_.noise.electronsPerAdu * (rangeAdu - pedestalLevel_);
}

void Calibrator::makeVariance(const frame::Image& raw,
                              const frame::Image& electrons,
                              frame::Image& out) const {
    out = frame::Image(raw.width(), raw.height());
    const auto gain = static_cast<float>(set_.noise.electronsPerAdu);
    const auto read =
        static_cast<float>(set_.noise.readNoiseElectrons / set_.noise.electronsPerAdu);
    const auto r = raw.pixels();
    const auto e = electrons.pixels();
    const auto f = factor_.pixels();
    const bool biasMap = set_.bias != nullptr;
    const bool pedestalVariance = pedestal_ != nullptr && !pedestal_->variance.empty();
    const bool flatVariance = set_.flat != nullptr && !set_.flat->variance.empty();
    // A master of a single frame has that frame's noise.
    const float single = pedestal_ != nullptr && !pedestalVariance ? read * read : 0.0F;
    auto v = out.pixels();
    for (std::size_t i = 0; i < r.size(); ++i) {
        const float level = biasMap ? set_.bias->image.pixels()[i] : static_cast<float>(biasLevel_);
        const float photons = std::max(r[i] - level, 0.0F) / gain;
        const float under = pedestalVariance ? pedestal_->variance.pixels()[i] : single;
        float variance = f[i] * f[i] * (photons + read * read + under);
        if (flatVariance) {
            const float flat = set_.flat->image.pixels()[i];
            variance += e[i] * e[i] * set_.flat->variance.pixels()[i] / (flat * flat);
        }
        v[i] = variance;
    }
}

void Calibrator::takeCells(const std::string& pattern, CalibratedFrame& result) const {
    frame::Image plane = takePlane(result.image, set_.colour, pattern, result.saturationElectrons);
    if (set_.keepsMosaic && set_.colour == Colour::Sum) {
        result.mosaic = std::move(result.image);
    }
    result.image = std::move(plane);
    result.saturationElectrons *= pixelsSummed(set_.colour, pattern);
    if (set_.wantsVariance) {
        result.variance = takePlane(result.variance, set_.colour, pattern);
        const auto averaged = static_cast<float>(pixelsAveraged(set_.colour, pattern));
        for (float& v : result.variance.pixels()) {
            v /= averaged;
        }
    }
}

CalibratedFrame Calibrator::apply(frame::LoadedFrame light, const frame::FrameInfo& info) const {
    auto pixels = light.image.pixels();
    PATHMARK_EXPECTS(pixels.size() == factor_.pixels().size());
    PATHMARK_EXPECTS(pedestal_ == nullptr || pedestal_->image.pixels().size() == pixels.size());
    CalibratedFrame result;
    const auto ceiling = ceilingOf(light.image);
    frame::Image raw;
    if (set_.wantsVariance) {
        raw = light.image;
    }
    const auto factor = factor_.pixels();
    if (pedestal_ != nullptr) {
        const auto under = pedestal_->image.pixels();
        applyPixels(pixels.data(), under.data(), factor.data(), pixels.size(), pixels.data());
    } else {
        applyFactor(pixels.data(), factor.data(), pixels.size(), pixels.data());
    }
    result.image = std::move(light.image);
    if (set_.wantsVariance) {
        makeVariance(raw, result.image, result.variance);
    }
    result.defects = defects_.count();
    result.saturationElectrons =
        ceiling ? std::min(saturationElectrons_, trustedElectrons(*ceiling)) : saturationElectrons_;
    if (!info.bayerPattern.empty() && set_.colour == Colour::Full) {
        ColourImage colours = demosaic(result.image, info.bayerPattern);
        result.image = std::move(colours.green);
        result.red = std::move(colours.red);
        result.blue = std::move(colours.blue);
    } else if (!info.bayerPattern.empty() && set_.colour != Colour::Keep) {
        takeCells(info.bayerPattern, result);
    }
    frame::Header& header = result.header;
    header = std::move(light.header);
    const auto note = [&](const std::string& text) { header.add({"HISTORY", text, {}}); };
    header.set("BUNIT", std::string("electron"));
    header.set("PMGAIN", set_.noise.electronsPerAdu, "[e/ADU] applied");
    header.set(
        frame::kReadNoiseKeyword, set_.noise.readNoiseElectrons, "[e] read noise of one raw pixel");
    header.set("PMSATUR", result.saturationElectrons, "[e] not to be trusted from here on");
    header.set(
        "PMDEFECT", static_cast<long long>(result.defects), "raw pixels set to NaN as defect");
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    header.remove("GAIN");
    header.remove("EGAIN");
    note("Path Mark " PATHMARK_VERSION ": calibrated from " + info.path.filename().string());
    const std::array<std::pair<const char*, const Master*>, 4> used{
        std::pair{"PMDARK", set_.dark},
        std::pair{"PMBIAS", set_.dark == nullptr ? set_.bias : nullptr},
        std::pair{"PMSCDARK", set_.dark == nullptr ? set_.scaledDark : nullptr},
        std::pair{"PMFLAT", set_.flat}};
    for (const auto& [keyword, master] : used) {
        if (master == nullptr) {
            continue;
        }
        header.set(keyword, master->key, "digest of the master used");
        note(fmt::format("{}{}: {} frames, {}",
                         frame::name(master->example.kind),
                         idOf(*master),
                         master->frameCount,
                         master->how));
    }
    if (darkScale_ > 0.0) {
        header.set("PMDKSCAL", darkScale_, "of dark - bias");
        note(fmt::format("dark of {:g} s scaled by {:.4f} for {:g} s",
                         set_.scaledDark->example.exposureSeconds,
                         darkScale_,
                         info.exposureSeconds));
    } else if (set_.dark != nullptr) {
        note("dark not scaled: the exposures agree");
    }
    if (set_.flat == nullptr) {
        note("no flat");
    } else if (flatError_ > 0.0) {
        header.set(
            frame::kFlatErrorKeyword, flatError_, "relative error of one raw pixel by the flat");
    }
    note("defects: " + defects_.words());
    addColour(set_, info, header);
    return result;
}

} // namespace pathmark::calibrate
