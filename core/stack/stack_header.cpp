#include "core/stack/stack_header.h"

#include "core/base/hash.h"
#include "core/frame/frame_info.h"

#include <fmt/format.h>

namespace pathmark::stack {
namespace {

std::string wordsOf(const StackOptions& options) {
    using combine::Combination;
    const combine::CombineRule& rule = options.rule;
    switch (rule.combination) {
    case Combination::Mean: return "weighted mean";
    case Combination::Median: return "median";
    case Combination::PercentileClip:
        return fmt::format("weighted mean, {:g} % cut at each end", 100.0 * rule.share);
    default:
        return fmt::format("weighted mean, {} at {:g} sigma", name(rule.combination), rule.clip);
    }
}

/// Tells a stack by what it was made from, where no night's products do.
std::string digestOf(std::span<const StackFrame> frames,
                     const Stack& stack,
                     const StackOptions& options,
                     const frame::Wcs& wcs) {
    Digest digest;
    digest.add(wordsOf(options));
    digest.add(fmt::format("{} {} {} {} {}",
                           stack.image.width(),
                           stack.image.height(),
                           wcs.referenceSky.longitude.radians(),
                           wcs.referenceSky.latitude.radians(),
                           wcs.scaleArcsec()));
    for (const StackFrame& frame : frames) {
        digest.add(fmt::format("{} {} {} {} {}",
                               frame.path.string(),
                               toIso(frame.middle, 6),
                               frame.fluxScale,
                               frame.place.shift.xi,
                               frame.place.shift.eta));
    }
    return digest.hex();
}

} // namespace

bool isStack(const frame::Header& header) {
    return header.number(kNoiseKeyword).has_value();
}

frame::Header headerOf(std::span<const StackFrame> frames,
                       const Stack& stack,
                       const StackOptions& options,
                       const frame::Wcs& wcs,
                       const StackTitle& title) {
    frame::Header header;
    header.set("OBJECT", title.object);
    header.set("IMAGETYP", std::string("stack"));
    header.set("BUNIT", std::string("electron"));
    header.set("EXPTIME", title.exposureSeconds, "[s] of the frame whose electrons these are");
    header.set("NCOMBINE", static_cast<long long>(stack.frames), "frames added");
    header.set("COMBINE", wordsOf(options));
    header.set("PMKERNEL",
               options.resampling.drop > 0.0 ? fmt::format("drop {:g}", options.resampling.drop)
                                             : name(options.resampling.kernel));
    header.set("DATE-AVG",
               toIso(title.middle.value_or(middleOf(frames))).substr(0, 23),
               "weighted middle (UTC)");
    header.set("FILTER", title.filter);
    header.set(kNoiseKeyword, stack.noise, "[e] of a pixel with full coverage");
    header.set("PMPIXNOI", stack.pixelNoiseFactor, "scatter of single pixels over PMNOISE");
    header.set(kLightVarianceKeyword, stack.lightVariance, "variance of light over light");
    if (title.fwhmPixels > 0.0) {
        header.set(kFwhmKeyword, title.fwhmPixels, "[px] full width at half maximum of a star");
        header.set(kBetaKeyword, title.beta, "of its Moffat profile");
    }
    header.set("PMCLIP", stack.clippedShare, "share of values clipped");
    if (title.zeroPoint) {
        header.set("PMZEROPT", *title.zeroPoint, "[mag] of 1 e/s, band " + title.band);
    }
    if (title.rateArcsecPerMin > 0.0) {
        header.set(kRateKeyword, title.rateArcsecPerMin, "[arcsec/min] of what stands still");
        header.set(kAngleKeyword, title.angleDegrees, "[deg] its position angle");
    }
    if (title.placeErrorPixels > 0.0) {
        header.set(frame::kSolutionErrorKeyword,
                   title.placeErrorPixels,
                   "[px] of a place by the solutions, an axis");
    }
    header.set(frame::kResultKeyword,
               title.key.empty() ? digestOf(frames, stack, options, wcs) : title.key);
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const std::string name =
            i < title.added.size() ? title.added[i] : frames[i].path.filename().string();
        header.add({"HISTORY", "added " + name, {}});
    }
    writeWcs(wcs, header);
    return header;
}

} // namespace pathmark::stack
