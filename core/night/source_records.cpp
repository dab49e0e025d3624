#include "core/night/source_records.h"

#include <cmath>
#include <cstring>

namespace pathmark::night {
namespace {

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

} // namespace

std::vector<SourceRecord> sourceRecords(const detect::Detection& detection) {
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
                            s.flags};
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
                           p.flags,
                           false});
    }
    return sources;
}

std::string packStars(std::span<const std::size_t> stars, std::size_t count) {
    std::string bytes((count + 7) / 8, '\0');
    for (const std::size_t i : stars) {
        bytes[i / 8] =
            static_cast<char>(static_cast<unsigned char>(bytes[i / 8]) | (1U << (i % 8)));
    }
    return bytes;
}

void markStars(std::span<SourceRecord> sources, std::string_view bytes) {
    if (bytes.size() != (sources.size() + 7) / 8) {
        return;
    }
    for (std::size_t i = 0; i < sources.size(); ++i) {
        sources[i].isStar = ((static_cast<unsigned char>(bytes[i / 8]) >> (i % 8)) & 1U) != 0;
    }
}

} // namespace pathmark::night
