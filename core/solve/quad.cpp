#include "core/solve/quad.h"

#include <cmath>
#include <utility>

namespace pathmark::solve {
namespace {

void exchangeEnds(QuadCode& q) {
    q.value = {1.0F - q.value[0], -q.value[1], 1.0F - q.value[2], -q.value[3]};
    std::swap(q.order[0], q.order[1]);
}

void flip(QuadCode& q) {
    q.value[1] = -q.value[1];
    q.value[3] = -q.value[3];
    q.flipped = !q.flipped;
}

void exchangeInner(QuadCode& q) {
    std::swap(q.value[0], q.value[2]);
    std::swap(q.value[1], q.value[3]);
    std::swap(q.order[2], q.order[3]);
}

void bringInOrder(QuadCode& q) {
    if (q.value[0] + q.value[2] > 1.0F) {
        exchangeEnds(q);
    }
    if (q.value[1] + q.value[3] < 0.0F) {
        flip(q);
    }
    if (q.value[0] > q.value[2]) {
        exchangeInner(q);
    }
}

} // namespace

std::optional<QuadCode> encode(Place a, Place b, Place c, Place d, double slack) {
    const Place base = b - a;
    const Place scale = std::conj(base) / std::norm(base);
    const Place u = (c - a) * scale;
    const Place v = (d - a) * scale;
    const double reach = (0.5 + slack) * (0.5 + slack);
    if (!(std::norm(u - 0.5) <= reach && std::norm(v - 0.5) <= reach)) {
        return std::nullopt;
    }
    QuadCode q;
    q.value = {static_cast<float>(u.real()),
               static_cast<float>(u.imag()),
               static_cast<float>(v.real()),
               static_cast<float>(v.imag())};
    q.order = {0, 1, 2, 3};
    bringInOrder(q);
    return q;
}

QuadVariants variantsOf(const QuadCode& code, double tolerance) {
    const auto near = static_cast<float>(2.0 * tolerance);
    QuadVariants all;
    const auto add = [&](const QuadCode& one) {
        all.code[static_cast<std::size_t>(all.count++)] = one;
    };
    // Each exchange changes what the next one goes by: the ends first, then the mirror image, then the inner points.
    const auto addInner = [&](QuadCode q) {
        if (q.value[0] > q.value[2]) {
            exchangeInner(q);
        }
        add(q);
        if (q.value[2] - q.value[0] < near) {
            exchangeInner(q);
            add(q);
        }
    };
    const auto addMirrored = [&](QuadCode q) {
        if (q.value[1] + q.value[3] < 0.0F) {
            flip(q);
        }
        addInner(q);
        if (q.value[1] + q.value[3] < near) {
            flip(q);
            addInner(q);
        }
    };
    addMirrored(code);
    if (code.value[0] + code.value[2] > 1.0F - near) {
        QuadCode other = code;
        exchangeEnds(other);
        addMirrored(other);
    }
    return all;
}

} // namespace pathmark::solve
