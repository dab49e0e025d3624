#include "core/night/steps/noise_meter.h"

#include <nlohmann/json.hpp>

namespace pathmark::night {

using calibrate::FrameGroup;
using calibrate::MeasuredNoise;

Result<std::optional<MeasuredNoise>> NoiseMeter::measure(std::size_t flat, std::size_t bias) {
    if (const auto known = measured_.find({flat, bias}); known != measured_.end()) {
        return known->second;
    }
    auto noise = storedOrMeasured(groups_[flat], groups_[bias]);
    if (noise) {
        measured_[{flat, bias}] = *noise;
    }
    return noise;
}

Result<std::optional<MeasuredNoise>> NoiseMeter::storedOrMeasured(const FrameGroup& flats,
                                                                  const FrameGroup& biases) {
    ProductKey key("noise", 1);
    for (const FrameGroup* group : {&flats, &biases}) {
        for (const auto& info : group->frames) {
            key.input(frame::name(group->example.kind), info.id.text());
        }
        key.settings(group->example.bayerPattern);
    }
    if (const auto stored = file_.product(key.hex())) {
        const auto values = nlohmann::json::parse(stored->info, nullptr, false);
        return values.is_array() && values.size() == 2
                   ? std::optional(MeasuredNoise{values[0].get<double>(), values[1].get<double>()})
                   : std::nullopt;
    }
    std::optional<MeasuredNoise> noise;
    if (auto measured = calibrate::measureNoise(flats, biases)) {
        noise = *measured;
    }
    Product product;
    product.key = key.hex();
    product.kind = ProductKind::Noise;
    product.origin = key.origin();
    product.info =
        noise ? nlohmann::json{noise->electronsPerAdu, noise->readNoiseElectrons}.dump() : "null";
    if (auto stored = file_.putProducts({&product, 1}); !stored) {
        return fail(stored.error());
    }
    return noise;
}

} // namespace pathmark::night
