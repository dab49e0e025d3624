#include "core/detect/star_kernels.h"

#include "core/base/clones.h"

namespace pathmark::detect {
namespace {

// Simpson's rule over eight intervals of an eighth of a pixel.
constexpr std::array<double, 9> kSimpson{
    1.0 / 24, 4.0 / 24, 2.0 / 24, 4.0 / 24, 2.0 / 24, 4.0 / 24, 2.0 / 24, 4.0 / 24, 1.0 / 24};

} // namespace

PATHMARK_CLONES void addInterpolated(const NodeRows& nodes,
                                     const NodeWeights& weights,
                                     int rows,
                                     int stride,
                                     float* value,
                                     float* slopeX,
                                     float* slopeY) {
    for (std::size_t n = 0; n < 4; ++n) {
        const float w0 = weights.x[0];
        const float w1 = weights.x[1];
        const float w2 = weights.x[2];
        const float w3 = weights.x[3];
        const float d0 = weights.slopeX[0];
        const float d1 = weights.slopeX[1];
        const float d2 = weights.slopeX[2];
        const float d3 = weights.slopeX[3];
        const float wy = weights.y[n];
        const float dy = weights.slopeY[n];
        for (int j = 0; j < rows; ++j) {
            const float* r0 = nodes.row[n][0] + j * nodes.rowStep;
            const float* r1 = nodes.row[n][1] + j * nodes.rowStep;
            const float* r2 = nodes.row[n][2] + j * nodes.rowStep;
            const float* r3 = nodes.row[n][3] + j * nodes.rowStep;
            float* v = value + j * stride;
            float* sx = slopeX + j * stride;
            float* sy = slopeY + j * stride;
            for (int at = 0; at < stride; at += kLanes) {
#pragma GCC ivdep
                for (int i = at; i < at + kLanes; ++i) {
                    const float along = w0 * r0[i] + w1 * r1[i] + w2 * r2[i] + w3 * r3[i];
                    const float rise = d0 * r0[i] + d1 * r1[i] + d2 * r2[i] + d3 * r3[i];
                    v[i] += wy * along;
                    sx[i] += wy * rise;
                    sy[i] += dy * along;
                }
            }
        }
    }
}

PATHMARK_CLONES StarSums sumStar(const float* data,
                                 const float* mask,
                                 const float* v,
                                 const float* sx,
                                 const float* sy,
                                 int count,
                                 float flux,
                                 float variance) {
    // One sum per lane, added up at the end in a fixed order: the same bits on every processor.
    constexpr int sums = 10;
    float lane[sums][kLanes] = {};
    for (int at = 0; at < count; at += kLanes) {
#pragma GCC ivdep
        for (int l = 0; l < kLanes; ++l) {
            const int i = at + l;
            const float light = flux * v[i];
            const float w = mask[i] / (variance + (light > 0.0F ? light : 0.0F));
            const float r = data[i] - light;
            const float wx = w * sx[i];
            const float wy = w * sy[i];
            const float wv = w * v[i];
            lane[0][l] += wx * sx[i];
            lane[1][l] += wx * sy[i];
            lane[2][l] += wy * sy[i];
            lane[3][l] += wx * v[i];
            lane[4][l] += wy * v[i];
            lane[5][l] += wv * v[i];
            lane[6][l] += wx * r;
            lane[7][l] += wy * r;
            lane[8][l] += wv * r;
            lane[9][l] += w * r * r;
        }
    }
    double total[sums];
    for (int s = 0; s < sums; ++s) {
        total[s] = 0.0;
        for (int l = 0; l < kLanes; ++l) {
            total[s] += static_cast<double>(lane[s][l]);
        }
    }
    StarSums result;
    result.xx = total[0];
    result.xy = total[1];
    result.yy = total[2];
    result.xv = total[3];
    result.yv = total[4];
    result.vv = total[5];
    result.rx = total[6];
    result.ry = total[7];
    result.rv = total[8];
    result.chi = total[9];
    return result;
}

PATHMARK_CLONES void integrateAcross(const double* in, double* out, int count) {
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) {
        double sum = 0.0;
        for (std::size_t k = 0; k < kSimpson.size(); ++k) {
            sum += kSimpson[k] * in[i + static_cast<int>(k)];
        }
        out[i] = sum;
    }
}

PATHMARK_CLONES void integrateDown(const double* in, int stride, double* out, int count) {
#pragma GCC ivdep
    for (int i = 0; i < count; ++i) {
        double sum = 0.0;
        for (std::size_t k = 0; k < kSimpson.size(); ++k) {
            sum += kSimpson[k] * in[i + static_cast<int>(k) * stride];
        }
        out[i] = sum;
    }
}

} // namespace pathmark::detect
