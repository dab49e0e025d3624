#include "core/night/light_band.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/source_records.h"
#include "core/night/star_sources.h"
#include "core/night/steps/frame_steps.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace {

/// The band that a light's stars are compared in.
catalog::Band comparedIn(const FrameWork& work) {
    return work.info.bayerPattern.empty()
               ? bandOf(work.info.filter, std::nullopt)
               : bandOf(work.info.filter, work.calibration.settings.colour);
}

ProductKey zeroPointKey(const FrameWork& work) {
    ProductKey key("zero_point", zeroPointStep().version);
    return key.input("solution", work.keys.at(ProductKind::Solution))
        .input("band", std::string(catalog::name(comparedIn(work))))
        .input("exposure",
               work.info.exposureKnown ? fmt::format("{}", work.info.exposureSeconds) : "");
}

Result<bool> makeZeroPoint(FrameWork& work, Product& product) {
    ZeroPointPart part;
    auto solved = work.needSolution();
    if (!solved) {
        return solved;
    }
    if (*solved) {
        // Without its exposure a frame tells no brightness.
        if (work.info.exposureKnown && work.info.exposureSeconds > 0.0) {
            if (auto match = solve::matchPhotometry(*work.detection,
                                                    *work.solution,
                                                    {work.record.width, work.record.height},
                                                    comparedIn(work),
                                                    work.info.exposureSeconds)) {
                part.photometry = *match;
            }
        }
        product.packed = packStars(sourcesOnStars(*work.detection,
                                                  *work.solution,
                                                  part.photometry,
                                                  work.record.exposureSeconds,
                                                  work.record.middle,
                                                  {work.record.width, work.record.height},
                                                  work.run->store),
                                   work.detection->sources.size());
    }
    static_cast<ZeroPointPart&>(work.record) = part;
    product.info = record_json::write(part).dump();
    return true;
}

void restoreZeroPoint(FrameWork& work, const Product& product) {
    static_cast<ZeroPointPart&>(work.record) =
        record_json::read<ZeroPointPart>(nlohmann::json::parse(product.info));
}

void stampZeroPoint(const FrameWork& work, frame::Header& header) {
    header.remove("PMZEROPT");
    header.remove("PMLIMIT");
    if (const auto& match = work.record.photometry) {
        header.set("PMZEROPT",
                   match->zeroPoint,
                   "[mag] of 1 e/s, band " + std::string(catalog::name(match->band)));
        header.set("PMLIMIT", match->limitingMag, "[mag] at 5 sigma");
    }
}

} // namespace

FrameStep zeroPointStep() {
    return {"zero_point",
            5,
            "finds how bright its stars are",
            {ProductKind::Sources, ProductKind::Solution},
            ProductKind::ZeroPoint,
            zeroPointKey,
            makeZeroPoint,
            restoreZeroPoint,
            stampZeroPoint};
}

} // namespace pathmark::night
