#include "core/night/settings_text.h"

#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_fields.h"

namespace pathmark::night {
namespace {

constexpr std::array kWithoutFlats{std::pair{WithoutFlats::Leave, "leave"},
                                   std::pair{WithoutFlats::Sky, "sky"},
                                   std::pair{WithoutFlats::Level, "level"}};

} // namespace

const char* name(WithoutFlats what) {
    return nameIn(kWithoutFlats, what);
}

std::optional<WithoutFlats> withoutFlatsNamed(std::string_view text) {
    return valueNamed(kWithoutFlats, text);
}

template <typename Settings>
std::string settingsText(const Settings& settings) {
    return record_json::write(settings).dump();
}

template std::string settingsText(const MasterSettings&);
template std::string settingsText(const BackgroundChoice&);
template std::string settingsText(const LightSettings&);
template std::string settingsText(const MeasureSettings&);
template std::string settingsText(const CandidateSettings&);
template std::string settingsText(const frame::Site&);

std::string pixelMeaningOf(const frame::FrameInfo& info) {
    return nlohmann::json{{"size", {info.width, info.height, info.planes}},
                          {"exposure", info.exposureSeconds},
                          {"exposure_known", info.exposureKnown},
                          {"bayer", info.bayerPattern}}
        .dump();
}

std::string meaningOf(const frame::FrameInfo& info) {
    auto meaning = record_json::write(info);
    for (const char* name :
         {"id",          "path",         "note",     "kind_reason", "time_reason",
          "time_unsure", "time_step",    "middle",   "row_s",       "object",
          "telescope",   "dark_e_per_s", "pointing", "site",        "site_name",
          "sample",      "origins",      "notes",    "focal_mm",    "scale"}) {
        meaning.erase(name);
    }
    return meaning.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

} // namespace pathmark::night
