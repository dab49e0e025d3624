#include "core/survey/sky_cells.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace pathmark::survey {

FacePos toFace(const SkyPos& sky) {
    const double z = std::sin(sky.latitude.radians());
    const double quarter = normalised(sky.longitude).radians() / (0.5 * std::numbers::pi); // 0 to 4
    FacePos pos;
    if (std::abs(z) <= 2.0 / 3.0) {
        const double rising = 0.5 + quarter - 0.75 * z;
        const double falling = 0.5 + quarter + 0.75 * z;
        const int p = static_cast<int>(std::floor(rising));
        const int m = static_cast<int>(std::floor(falling));
        pos.face = p == m ? (p % 4) + 4 : (p < m ? p % 4 : (m % 4) + 8);
        pos.x = falling - m;
        pos.y = 1.0 - (rising - p);
        return pos;
    }
    const int sector = std::min(3, static_cast<int>(quarter));
    const double along = quarter - sector;
    // 1 - |z| without the loss of digits near the pole.
    const double s = std::sin(0.25 * std::numbers::pi - 0.5 * std::abs(sky.latitude.radians()));
    const double size = std::sqrt(6.0) * std::abs(s);
    const double p = std::min(1.0, along * size);
    const double m = std::min(1.0, (1.0 - along) * size);
    return z > 0.0 ? FacePos{sector, 1.0 - m, 1.0 - p} : FacePos{sector + 8, p, m};
}

std::int64_t nestedCell(int order, int face, std::int64_t x, std::int64_t y) {
    std::int64_t bits = 0;
    for (int i = 0; i < order; ++i) {
        bits |= ((x >> i) & 1) << (2 * i);
        bits |= ((y >> i) & 1) << (2 * i + 1);
    }
    return (static_cast<std::int64_t>(face) << (2 * order)) | bits;
}

SkyPos galacticOf(const SkyPos& sky) {
    constexpr std::array<std::array<double, 3>, 3> turn{
        {{-0.0548755604162154, -0.8734370902348850, -0.4838350155487132},
         {+0.4941094278755837, -0.4448296299600112, +0.7469822444972189},
         {-0.8676661490190047, -0.1980763734312015, +0.4559837761750669}}};
    const Vec3 v = sky.vector();
    Vec3 turned{};
    for (std::size_t i = 0; i < 3; ++i) {
        turned[i] = turn[i][0] * v[0] + turn[i][1] * v[1] + turn[i][2] * v[2];
    }
    return SkyPos::fromVector(turned);
}

} // namespace pathmark::survey
