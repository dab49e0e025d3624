#pragma once

#include <array>
#include <cstddef>

namespace pathmark::detect {

/// The hot loops over the pixels of a star, as free functions over pointers so that each processor level gets its own.
/// Rows have a stride that is a multiple of kLanes; what lies beyond a window counts nothing.
inline constexpr int kLanes = 16;

/// The 4 x 4 nodes of a table between which every pixel of a window lies, for its first row; the next row of pixels is
/// `rowStep` further on in the table.
struct NodeRows {
    std::array<std::array<const float*, 4>, 4> row{};
    std::ptrdiff_t rowStep = 0;
};

/// Interpolation along both axes.
struct NodeWeights {
    std::array<float, 4> x{};
    std::array<float, 4> slopeX{};
    std::array<float, 4> y{};
    std::array<float, 4> slopeY{};
};

/// Adds a table's values and slopes to a window of `rows` rows of `stride` floats.
void addInterpolated(const NodeRows& nodes,
                     const NodeWeights& weights,
                     int rows,
                     int stride,
                     float* value,
                     float* slopeX,
                     float* slopeY);

/// Sums over a window for the normal equations of place and flux; v, sx and sy are profile and slopes of unit flux,
/// weights 1 / (noise^2 + max(flux v, 0)), 0 where `mask` is.
struct StarSums {
    double xx = 0.0, xy = 0.0, yy = 0.0, xv = 0.0, yv = 0.0, vv = 0.0; ///< of w s s
    double rx = 0.0, ry = 0.0, rv = 0.0;                               ///< of w s residual
    double chi = 0.0;                                                  ///< of w residual^2
};

StarSums sumStar(const float* data,
                 const float* mask,
                 const float* v,
                 const float* sx,
                 const float* sy,
                 int count,
                 float flux,
                 float variance);

/// Point values integrated over a pixel of eight steps by Simpson's rule along one axis.
void integrateAcross(const double* in, double* out, int count);
void integrateDown(const double* in, int stride, double* out, int count);

} // namespace pathmark::detect
