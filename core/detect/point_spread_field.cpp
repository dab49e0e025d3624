#include "core/detect/point_spread_field.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <optional>

namespace pathmark::detect {
namespace {

constexpr int kNodes = 5; // between five tables a parabola is followed to 2 % of its height

} // namespace

bool FieldShape::varies() const {
    return std::any_of(terms.begin(), terms.end(), [](const auto& row) {
        return std::any_of(row.begin(), row.end(), [](double t) { return t != 0.0; });
    });
}

Moffat FieldShape::at(double x, double y) const {
    const double u = 2.0 * (x + 0.5) / width - 1.0;
    const double v = 2.0 * (y + 0.5) / height - 1.0;
    const std::array<double, 5> power{u, v, u * u, u * v, v * v};
    MoffatForm form = middle;
    for (std::size_t k = 0; k < power.size(); ++k) {
        form.logSize += terms[0][k] * power[k];
        form.g1 += terms[1][k] * power[k];
        form.g2 += terms[2][k] * power[k];
    }
    return form.profile();
}

PointSpreadField::PointSpreadField(const FieldShape& shape, int radius)
    : shape_(shape), side_(shape.varies() ? kNodes : 1) {
    const auto count = static_cast<std::size_t>(side_ * side_);
    std::vector<std::optional<PointSpread>> made(count);
    parallelFor(count, [&](std::size_t i) {
        const double share = side_ > 1 ? 1.0 / (side_ - 1) : 0.0;
        const auto [down, along] = std::div(static_cast<int>(i), side_);
        const double column = side_ > 1 ? along * share : 0.5;
        const double row = side_ > 1 ? down * share : 0.5;
        made[i].emplace(shape.at(column * shape.width - 0.5, row * shape.height - 0.5),
                        shape.trailX,
                        shape.trailY,
                        radius);
    });
    for (auto& one : made) {
        nodes_.push_back(std::move(*one));
    }
    radius_ = std::min_element(nodes_.begin(), nodes_.end(), [](const auto& a, const auto& b) {
                  return a.radius() < b.radius();
              })->radius();
}

std::array<PointSpreadField::Corner, 4> PointSpreadField::corners(double x, double y) const {
    const auto along = [&](double place, int size) {
        return std::clamp((place + 0.5) / size, 0.0, 1.0) * (side_ - 1);
    };
    const double fx = along(x, shape_.width);
    const double fy = along(y, shape_.height);
    const int i = std::min(static_cast<int>(fx), side_ - 2);
    const int j = std::min(static_cast<int>(fy), side_ - 2);
    const double tx = fx - i;
    const double ty = fy - j;
    const auto node = [&](int di, int dj) {
        return static_cast<std::size_t>((j + dj) * side_ + i + di);
    };
    return {{{node(0, 0), (1.0 - tx) * (1.0 - ty)},
             {node(1, 0), tx * (1.0 - ty)},
             {node(0, 1), (1.0 - tx) * ty},
             {node(1, 1), tx * ty}}};
}

void PointSpreadField::patch(double x, double y, int cx, int cy, SpreadPatch& patch) const {
    for (auto* values : {&patch.value, &patch.slopeX, &patch.slopeY}) {
        std::fill(values->begin(), values->end(), 0.0F);
    }
    if (side_ == 1) {
        nodes_[0].addPatch(x - cx, y - cy, 1.0F, patch);
        return;
    }
    for (const Corner& corner : corners(x, y)) {
        if (corner.weight > 0.0) {
            nodes_[corner.node].addPatch(x - cx, y - cy, static_cast<float>(corner.weight), patch);
        }
    }
}

std::vector<PointSpreadField::Share> PointSpreadField::sharesAt(double x, double y) const {
    if (side_ == 1) {
        return {{&nodes_[0], 1.0}};
    }
    std::vector<Share> shares;
    for (const Corner& corner : corners(x, y)) {
        if (corner.weight > 0.0) {
            shares.push_back({&nodes_[corner.node], corner.weight});
        }
    }
    return shares;
}

PointSpread::Sample PointSpreadField::sampleAt(double x, double y, double dx, double dy) const {
    if (side_ == 1) {
        return nodes_[0].at(dx, dy);
    }
    PointSpread::Sample sum;
    for (const Corner& corner : corners(x, y)) {
        const auto sample = nodes_[corner.node].at(dx, dy);
        sum.value += corner.weight * sample.value;
        sum.slopeX += corner.weight * sample.slopeX;
        sum.slopeY += corner.weight * sample.slopeY;
    }
    return sum;
}

} // namespace pathmark::detect
