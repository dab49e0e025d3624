#pragma once

#include <cstddef>

namespace pathmark::identify {

/// The inner loops of orbit_columns.h over plain arrays.
struct CoarseInput {
    const double* perihelionDay;
    const double* motion;
    const double* eccentricity;
    const double* p[3];
    const double* q[3];
    double day;
    double place[3];
    double velocity[3];
};

struct CoarseOutput {
    float* x;
    float* y;
    float* z;
    float* distance;
    float* radiansPerDay;
};

void coarseDirections(const CoarseInput& in,
                      const CoarseOutput& out,
                      std::size_t from,
                      std::size_t to);

/// One orbit, many days.
void coarsePath(double perihelionDay,
                double motion,
                double eccentricity,
                const double p[3],
                const double q[3],
                const double* days,
                std::size_t count,
                double* x,
                double* y,
                double* z);

} // namespace pathmark::identify
