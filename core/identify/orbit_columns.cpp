#include "core/identify/orbit_columns.h"

#include "core/base/parallel.h"
#include "core/identify/coarse_kernels.h"
#include "core/orbit/motion/kepler.h"

#include <cmath>

namespace pathmark::identify {

OrbitColumns OrbitColumns::over(const double* block, std::size_t size) {
    OrbitColumns c;
    c.size = size;
    c.perihelionDay = block;
    c.motion = block + size;
    c.eccentricity = block + 2 * size;
    for (std::size_t k = 0; k < 3; ++k) {
        c.p[k] = block + (3 + k) * size;
        c.q[k] = block + (6 + k) * size;
    }
    return c;
}

std::vector<double> makeColumns(std::span<const orbit::Elements> orbits) {
    const std::size_t size = orbits.size();
    std::vector<double> block(OrbitColumns::kCount * size);
    constexpr std::size_t part = 4096;
    parallelFor((size + part - 1) / part, [&](std::size_t index) {
        for (std::size_t i = index * part; i < std::min(size, (index + 1) * part); ++i) {
            const orbit::Elements& e = orbits[i];
            block[i] =
                e.perihelionTime.secondsSince(Tdb::julian(OrbitColumns::kOrigin)) / kSecondsPerDay;
            block[2 * size + i] = e.eccentricity;
            if (e.eccentricity > OrbitColumns::kMostEccentric) {
                continue; // motion stays 0
            }
            const double a = e.perihelionAu / (1.0 - e.eccentricity);
            const double b = a * std::sqrt(1.0 - e.eccentricity * e.eccentricity);
            block[size + i] = std::sqrt(orbit::kSunGm / (a * a * a));
            const auto [p, q] = orbit::perifocalAxes(e);
            for (std::size_t k = 0; k < 3; ++k) {
                block[(3 + k) * size + i] = a * p[k];
                block[(6 + k) * size + i] = b * q[k];
            }
        }
    });
    return block;
}

void lookCoarsely(const OrbitColumns& columns,
                  std::size_t from,
                  std::size_t to,
                  const CoarseView& view,
                  CoarseSky& sky) {
    CoarseInput in{};
    in.perihelionDay = columns.perihelionDay;
    in.motion = columns.motion;
    in.eccentricity = columns.eccentricity;
    in.day = view.day;
    for (std::size_t k = 0; k < 3; ++k) {
        in.p[k] = columns.p[k];
        in.q[k] = columns.q[k];
        in.place[k] = view.place[k];
        in.velocity[k] = view.velocity[k];
    }
    coarseDirections(
        in,
        {sky.x.data(), sky.y.data(), sky.z.data(), sky.distance.data(), sky.radiansPerDay.data()},
        from,
        to);
}

void placesAlong(const OrbitColumns& columns,
                 std::size_t orbit,
                 std::span<const double> days,
                 double* x,
                 double* y,
                 double* z) {
    const double p[3] = {columns.p[0][orbit], columns.p[1][orbit], columns.p[2][orbit]};
    const double q[3] = {columns.q[0][orbit], columns.q[1][orbit], columns.q[2][orbit]};
    coarsePath(columns.perihelionDay[orbit],
               columns.motion[orbit],
               columns.eccentricity[orbit],
               p,
               q,
               days.data(),
               days.size(),
               x,
               y,
               z);
}

} // namespace pathmark::identify
