#include "core/night/source_records.h"

#include "core/night/record_parts.h"

#include <nlohmann/json.hpp>

#include <cmath>
#include <cstring>

namespace pathmark::night {
namespace {

using nlohmann::json;

/// As it lies in the night file; little-endian.
struct Packed {
    double x;
    double y;
    float sigma;
    float flux;
    float snr;
    std::uint32_t flags;
};

static_assert(sizeof(Packed) == 32);

/// Above every flag of a detection.
constexpr std::uint32_t kStarBit = 0x80000000U;

} // namespace

std::vector<SourceRecord> sourceRecords(const detect::Detection& detection,
                                        std::span<const std::size_t> stars) {
    std::vector<SourceRecord> records;
    records.reserve(detection.sources.size());
    for (const detect::Source& s : detection.sources) {
        records.push_back({{s.x, s.y},
                           std::sqrt(0.5 * (s.xError * s.xError + s.yError * s.yError)),
                           s.flux,
                           s.snr,
                           s.flags,
                           false});
    }
    for (const std::size_t i : stars) {
        records[i].isStar = true;
    }
    return records;
}

std::string packSources(std::span<const SourceRecord> sources) {
    std::string bytes(sources.size() * sizeof(Packed), '\0');
    for (std::size_t i = 0; i < sources.size(); ++i) {
        const SourceRecord& s = sources[i];
        const Packed packed{s.pixel.x,
                            s.pixel.y,
                            static_cast<float>(s.sigmaPixels),
                            static_cast<float>(s.flux),
                            static_cast<float>(s.snr),
                            s.flags | (s.isStar ? kStarBit : 0U)};
        std::memcpy(bytes.data() + i * sizeof(Packed), &packed, sizeof(Packed));
    }
    return bytes;
}

std::vector<SourceRecord> unpackSources(std::string_view bytes) {
    std::vector<SourceRecord> sources;
    if (bytes.size() % sizeof(Packed) != 0) {
        return sources;
    }
    sources.reserve(bytes.size() / sizeof(Packed));
    for (std::size_t at = 0; at < bytes.size(); at += sizeof(Packed)) {
        Packed p{};
        std::memcpy(&p, bytes.data() + at, sizeof(Packed));
        sources.push_back({{p.x, p.y},
                           static_cast<double>(p.sigma),
                           static_cast<double>(p.flux),
                           static_cast<double>(p.snr),
                           p.flags & ~kStarBit,
                           (p.flags & kStarBit) != 0});
    }
    return sources;
}

json toJson(const TrackRecord& r) {
    json members = json::array();
    for (const auto& member : r.members) {
        members.push_back({{"frame", member.frame.string()},
                           {"pixel", fromPixel(member.pixel)},
                           {"snr", member.snr}});
    }
    return json{{"name", r.name},
                {"members", members},
                {"reference", fromTime(r.reference)},
                {"place", fromSky(r.place)},
                {"rate", r.rateArcsecPerMin},
                {"angle", r.positionAngleDegrees},
                {"chi", r.reducedChiSquare},
                {"looked", r.framesLooked},
                {"false_log10", r.falseTracksLog10},
                {"resembles", r.resembles},
                {"resembles_arcsec", r.resemblesArcsec}};
}

TrackRecord trackFromJson(const json& j) {
    TrackRecord r;
    r.name = j.at("name").get<std::string>();
    for (const json& member : j.at("members")) {
        r.members.push_back({member.at("frame").get<std::string>(),
                             toPixel(member.at("pixel")),
                             member.at("snr").get<double>()});
    }
    r.reference = toTime(j.at("reference"));
    r.place = toSky(j.at("place"));
    r.rateArcsecPerMin = j.at("rate").get<double>();
    r.positionAngleDegrees = j.at("angle").get<double>();
    r.reducedChiSquare = j.at("chi").get<double>();
    r.framesLooked = j.at("looked").get<int>();
    r.falseTracksLog10 = j.at("false_log10").get<double>();
    r.resembles = j.at("resembles").get<std::string>();
    r.resemblesArcsec = j.at("resembles_arcsec").get<double>();
    return r;
}

} // namespace pathmark::night
