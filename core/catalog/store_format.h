#pragma once

#include "core/base/angle.h"
#include "core/catalog/star.h"

#include <healpix_base.h>

#include <array>
#include <cstdint>
#include <filesystem>
#include <numbers>
#include <string>

namespace pathmark::catalog {

inline constexpr std::array<char, 8> kStoreMagic{'P', 'M', 'S', 'T', 'A', 'R', 'S', '1'};
inline constexpr int kTileOrder = 6; // tiles of 0.92 degrees

/// The file: this header, then tiles + 1 row numbers (where each tile begins), then the rows.
struct StoreHeader {
    std::array<char, 8> magic = kStoreMagic;
    std::uint32_t order = kTileOrder;
    std::uint32_t rowSize = sizeof(StarRow);
    std::uint64_t rows = 0;
    std::array<char, 40> digest{};
};

static_assert(sizeof(StoreHeader) == 64);

inline const T_Healpix_Base<int>& tiles() {
    static const T_Healpix_Base<int> base(kTileOrder, NEST);
    return base;
}

inline pointing toPointing(const SkyPos& place) {
    return {0.5 * std::numbers::pi - place.latitude.radians(), place.longitude.radians()};
}

inline std::filesystem::path storePath(const std::filesystem::path& folder,
                                       const std::string& name) {
    return folder / (name + ".stars");
}

} // namespace pathmark::catalog
