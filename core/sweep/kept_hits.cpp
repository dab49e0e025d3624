#include "core/sweep/kept_hits.h"

#include "core/base/atomic_file.h"

#include <cstring>
#include <fstream>
#include <iterator>

namespace pathmark::sweep {
namespace {

constexpr std::size_t kNumbers = 5; ///< of a hit: place, velocity, S/N

void append(std::string& bytes, double value) {
    char raw[sizeof value];
    std::memcpy(raw, &value, sizeof value);
    bytes.append(raw, sizeof value);
}

double numberAt(const std::string& bytes, std::size_t index) {
    double value = 0.0;
    std::memcpy(&value, bytes.data() + index * sizeof value, sizeof value);
    return value;
}

} // namespace

std::optional<SearchResult> KeptHits::part(const std::string& name) const {
    if (folder_.empty()) {
        return std::nullopt;
    }
    std::ifstream file(folder_ / name, std::ios::binary);
    const std::string bytes{std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>()};
    const std::size_t numbers = bytes.size() / sizeof(double);
    if (!file || bytes.size() % sizeof(double) != 0 || numbers % kNumbers != 1) {
        return std::nullopt;
    }
    SearchResult result;
    result.additions = numberAt(bytes, 0);
    for (std::size_t k = 1; k < numbers; k += kNumbers) {
        Hit hit;
        hit.track.place = {numberAt(bytes, k), numberAt(bytes, k + 1)};
        hit.track.velocity = {numberAt(bytes, k + 2), numberAt(bytes, k + 3)};
        hit.snr = numberAt(bytes, k + 4);
        result.hits.push_back(hit);
    }
    return result;
}

Result<bool> KeptHits::keep(const std::string& name, const SearchResult& part) const {
    if (folder_.empty()) {
        return true;
    }
    std::string bytes;
    append(bytes, part.additions);
    for (const Hit& hit : part.hits) {
        for (const double value : {hit.track.place.x,
                                   hit.track.place.y,
                                   hit.track.velocity.x,
                                   hit.track.velocity.y,
                                   hit.snr}) {
            append(bytes, value);
        }
    }
    return writeWholeText(folder_ / name, bytes);
}

} // namespace pathmark::sweep
