#include "core/detect/shape_fit.h"

#include "core/base/parallel.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace pathmark::detect {
namespace {

constexpr int kNumbers = 4;
constexpr double kStep = 0.02; // of a number, for its derivative
// Where the true profile departs from the model, bright stars must not outvote the rest.
constexpr double kModelError = 0.02;

using Local = Eigen::Matrix4d; // x, y, flux, sky

struct StarEquations {
    Local ll = Local::Zero();
    Eigen::Matrix4d lg = Eigen::Matrix4d::Zero();
    Eigen::Matrix4d gg = Eigen::Matrix4d::Zero();
    Eigen::Vector4d l = Eigen::Vector4d::Zero();
    Eigen::Vector4d g = Eigen::Vector4d::Zero();
    double chi = 0.0;
};

/// The equations of one star from the profile at the shape and at shapes with one number changed.
StarEquations equationsOf(const ShapeStar& star, const std::vector<PointSpreadField>& spreads) {
    std::vector<SpreadPatch> patches;
    for (const PointSpreadField& spread : spreads) {
        patches.emplace_back(star.window.half());
        spread.patch(star.x, star.y, star.cx, star.cy, patches.back());
    }
    const double noise2 =
        static_cast<double>(star.window.noise()) * static_cast<double>(star.window.noise());
    StarEquations e;
    for (std::size_t i = 0; i < patches[0].value.size(); ++i) {
        if (star.window.mask()[i] == 0.0F) {
            continue;
        }
        const auto v = static_cast<double>(patches[0].value[i]);
        const double light = star.flux * v;
        const double variance =
            noise2 + std::max(0.0, light) + kModelError * kModelError * light * light;
        const double w = 1.0 / variance;
        const double r = static_cast<double>(star.window.data()[i]) - light - star.sky;
        const Eigen::Vector4d local(-star.flux * static_cast<double>(patches[0].slopeX[i]),
                                    -star.flux * static_cast<double>(patches[0].slopeY[i]),
                                    v,
                                    1.0);
        Eigen::Vector4d global;
        for (int k = 0; k < kNumbers; ++k) {
            global[k] =
                star.flux / kStep *
                (static_cast<double>(patches[static_cast<std::size_t>(k) + 1].value[i]) - v);
        }
        e.ll.noalias() += w * local * local.transpose();
        e.lg.noalias() += w * local * global.transpose();
        e.gg.noalias() += w * global * global.transpose();
        e.l += w * r * local;
        e.g += w * r * global;
        e.chi += w * r * r;
    }
    return e;
}

TrialShape changed(const TrialShape& shape, int number) {
    TrialShape other = shape;
    other.numbers[number] += kStep;
    return other;
}

} // namespace

FieldShape TrialShape::field() const {
    FieldShape field;
    if (kind == ShapeKind::Ellipse) {
        field.middle = {numbers[0], numbers[1], numbers[2], numbers[3]};
    } else {
        field.middle = {numbers[0], 0.0, 0.0, numbers[3]};
        field.trailX = numbers[1];
        field.trailY = numbers[2];
    }
    return field;
}

void stepShape(TrialShape& shape, std::vector<ShapeStar>& stars) {
    std::array<std::optional<PointSpreadField>, kNumbers + 1> made;
    const int reach = stars.front().window.half() + 2;
    parallelFor(made.size(), [&](std::size_t k) {
        made[k].emplace((k == 0 ? shape : changed(shape, static_cast<int>(k) - 1)).field(), reach);
    });
    std::vector<PointSpreadField> spreads;
    spreads.reserve(made.size());
    for (auto& one : made) {
        spreads.push_back(std::move(*one));
    }
    std::vector<StarEquations> equations(stars.size());
    parallelFor(stars.size(), [&](std::size_t i) {
        if (stars[i].used) {
            equations[i] = equationsOf(stars[i], spreads);
        }
    });
    // What the shape should be in the eyes of nobody: keeps beta in reach where no star shows it.
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Vector4d gradient = Eigen::Vector4d::Zero();
    normal(3, 3) = 4.0;
    gradient[3] = 4.0 * (0.8 - shape.numbers[3]);
    for (std::size_t i = 0; i < stars.size(); ++i) {
        if (!stars[i].used) {
            continue;
        }
        const StarEquations& e = equations[i];
        const Eigen::Matrix4d carried = e.ll.ldlt().solve(e.lg);
        stars[i].information = e.gg - e.lg.transpose() * carried;
        stars[i].pull = e.g - carried.transpose() * e.l;
        stars[i].misfit = e.chi / std::max(1, stars[i].window.used() - kNumbers);
        normal += stars[i].information;
        gradient += stars[i].pull;
    }
    Eigen::Vector4d step = normal.ldlt().solve(gradient);
    const Eigen::Vector4d most = shape.kind == ShapeKind::Ellipse
                                     ? Eigen::Vector4d(0.3, 0.2, 0.2, 0.4)
                                     : Eigen::Vector4d(0.3, 3.0, 3.0, 0.4);
    for (int k = 0; k < kNumbers; ++k) {
        step[k] = std::clamp(step[k], -most[k], most[k]);
    }
    for (std::size_t i = 0; i < stars.size(); ++i) {
        if (!stars[i].used) {
            continue;
        }
        const Eigen::Vector4d local =
            equations[i].ll.ldlt().solve(equations[i].l - equations[i].lg * step);
        stars[i].x = std::clamp(
            stars[i].x + std::clamp(local[0], -0.5, 0.5), stars[i].cx - 1.5, stars[i].cx + 1.5);
        stars[i].y = std::clamp(
            stars[i].y + std::clamp(local[1], -0.5, 0.5), stars[i].cy - 1.5, stars[i].cy + 1.5);
        stars[i].flux += local[2];
        stars[i].sky += local[3];
        stars[i].used = std::isfinite(stars[i].flux + stars[i].sky) && stars[i].flux > 0.0;
    }
    shape.numbers += step;
    shape.numbers[0] = std::clamp(shape.numbers[0], -1.5, 4.0);
    shape.numbers[3] = std::clamp(shape.numbers[3], -0.2, 3.0);
}

} // namespace pathmark::detect
