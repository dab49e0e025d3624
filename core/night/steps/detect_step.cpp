#include "core/detect/colour_mosaic.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/source_records.h"
#include "core/night/steps/frame_steps.h"
#include "core/night/steps/measured_pixels.h"

namespace pathmark::night {
namespace {

ProductKey sourcesKey(const FrameWork& work) {
    ProductKey key("detect", detectStep().version);
    return key.input("calibrated", work.keys.at(ProductKind::Calibrated));
}

Result<bool> makeSources(FrameWork& work, Product& product) {
    SourcesPart part;
    if (auto found = work.needDetection(); !found) {
        return found;
    }
    part.withoutSources = work.record.withoutSources;
    if (work.detection) {
        const detect::Detection& detection = *work.detection;
        part.sources = static_cast<int>(detection.sources.size());
        part.shape = detection.spread.middle().shape();
        part.trailX = detection.spread.middle().trailX();
        part.trailY = detection.spread.middle().trailY();
        part.mosaic = work.record.mosaic;
        part.fwhmPixels = detection.fwhm;
        part.elongation = detection.elongation;
        part.skyElectrons = detection.sky.typicalLevel();
        part.noiseElectrons = detection.sky.typicalNoise();
        product.packed = packSources(sourceRecords(detection));
    }
    static_cast<SourcesPart&>(work.record) = part;
    product.info = record_json::write(part).dump();
    return true;
}

void restoreSources(FrameWork& work, const Product& product) {
    static_cast<SourcesPart&>(work.record) =
        record_json::read<SourcesPart>(nlohmann::json::parse(product.info));
}

} // namespace

Result<bool> FrameWork::needDetection() {
    if (detection) {
        return true;
    }
    if (auto ready = needPixels(); !ready) {
        return ready;
    }
    detect::DetectOptions options;
    options.saturation = record.saturationElectrons;
    auto found = detect::detectSources(pixels->image, options);
    if (!found) {
        record.withoutSources = found.error().detail;
        return false;
    }
    detection = std::move(*found);
    if (!leansTowardsColour()) {
        return true;
    }
    if (auto ready = needMosaic(); !ready) {
        return ready;
    }
    detect::ColourMosaic mosaic(pixels->mosaic, info.bayerPattern, rawSaturation(record));
    const detect::MosaicSources fitted = detect::fitOnMosaic(mosaic, *detection);
    detect::placeByMosaic(fitted, *detection);
    record.mosaic = MosaicShape{fitted.shape.middle.profile(),
                                fitted.shape.trailX,
                                fitted.shape.trailY,
                                fitted.response.red,
                                fitted.response.blue,
                                fitted.lean.x,
                                fitted.lean.y};
    return true;
}

FrameStep detectStep() {
    return {"detect",
            3,
            "finds the sources of each light",
            {ProductKind::Calibrated},
            ProductKind::Sources,
            sourcesKey,
            makeSources,
            restoreSources,
            nullptr};
}

} // namespace pathmark::night
