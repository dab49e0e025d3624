#pragma once

#include "core/detect/detect.h"
#include "core/frame/wcs.h"
#include "core/night/records.h"

#include <nlohmann/json_fwd.hpp>

#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// A source of a light as the night file keeps it.
struct SourceRecord {
    frame::PixelPos pixel;
    double sigmaPixels = 0.0; ///< of the place along an axis
    double flux = 0.0;        ///< electrons
    double snr = 0.0;
    std::uint32_t flags = 0; ///< detect::SourceFlag
    bool isStar = false;     ///< a star of the catalogue lies there
};

/// The sources of a light; those at the indices `stars` lie on stars of the catalogue.
std::vector<SourceRecord> sourceRecords(const detect::Detection& detection,
                                        std::span<const std::size_t> stars);

/// Packed for storing, 32 bytes each, and back; nothing where the bytes are not of that form.
std::string packSources(std::span<const SourceRecord> sources);
std::vector<SourceRecord> unpackSources(std::string_view bytes);

/// Sources that move together and are no known body.
struct TrackRecord {
    struct Member {
        std::filesystem::path frame; ///< raw path of the light
        frame::PixelPos pixel;
        double snr = 0.0;
    };

    std::string name; ///< the observer's own designation, up to seven characters
    std::vector<Member> members;
    Utc reference;
    SkyPos place; ///< at the reference time
    double rateArcsecPerMin = 0.0;
    double positionAngleDegrees = 0.0;
    double reducedChiSquare = 0.0;
    int framesLooked = 0; ///< frames whose field the motion crosses
    /// Power of ten of the number of tracks as good as this that chance would make in the field.
    double falseTracksLog10 = 0.0;
    std::string resembles; ///< a known body that moves alike not far away; may be empty
    double resemblesArcsec = 0.0;
};

nlohmann::json toJson(const TrackRecord& record);
TrackRecord trackFromJson(const nlohmann::json& json);

} // namespace pathmark::night
