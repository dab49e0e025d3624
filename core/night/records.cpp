#include "core/night/records.h"

#include "core/base/hash.h"
#include "core/base/names.h"

#include <algorithm>
#include <array>
#include <tuple>

namespace pathmark::night {
namespace {

constexpr std::array kStateNames{
    std::pair{MeasurementState::Kept, "kept"},
    std::pair{MeasurementState::Parked, "parked"},
    std::pair{MeasurementState::Dropped, "dropped"},
};

constexpr std::array kModelNames{
    std::pair{HandModel::Light, "light"},
    std::pair{HandModel::Place, "place"},
    std::pair{HandModel::Trail, "trail"},
    std::pair{HandModel::Coma, "coma"},
};

} // namespace

const char* name(HandModel model) {
    return nameIn(kModelNames, model);
}

std::optional<HandModel> handModelNamed(std::string_view text) {
    return valueNamed(kModelNames, text);
}

const char* name(MeasurementState state) {
    return nameIn(kStateNames, state);
}

std::optional<MeasurementState> measurementStateNamed(std::string_view text) {
    return valueNamed(kStateNames, text);
}

bool comesBefore(const MeasurementRecord& a, const MeasurementRecord& b) {
    return std::tuple(a.body, a.time.julian(), a.id) < std::tuple(b.body, b.time.julian(), b.id);
}

std::string measurementId(const BodyId& body, std::vector<FrameId> frames) {
    std::sort(frames.begin(), frames.end());
    Digest digest;
    digest.add(body.text());
    for (const FrameId& frame : frames) {
        digest.add(frame.text());
    }
    return digest.hex().substr(0, 16);
}

std::optional<SkyPos> PredictionRecord::matchedAt() const {
    if (!match) {
        return std::nullopt;
    }
    return offsetBy(sky, match->raArcsec, match->decArcsec);
}

} // namespace pathmark::night
