#pragma once

#include "core/detect/point_spread_field.h"
#include "core/detect/star_window.h"

#include <Eigen/Core>

#include <vector>

namespace pathmark::detect {

/// A star that the shape is learned from.
struct ShapeStar {
    int cx = 0; ///< middle pixel of its window
    int cy = 0;
    double x = 0.0;
    double y = 0.0;
    double flux = 0.0;
    double sky = 0.0;    ///< constant left under it
    double misfit = 0.0; ///< chi-square per degree of freedom, the profile's own error allowed for
    bool used = true;
    StarWindow window{1};
    Eigen::Matrix4d information =
        Eigen::Matrix4d::Zero(); ///< of the four numbers of the shape, from this star
    Eigen::Vector4d pull = Eigen::Vector4d::Zero(); ///< information x how far it is off
};

/// What the four numbers of a shape mean.
enum class ShapeKind {
    Ellipse, ///< those of a MoffatForm
    Trail,   ///< logSize of a round profile, trail in x, trail in y, logBeta
};

/// A shape that is being learned.
struct TrialShape {
    ShapeKind kind = ShapeKind::Ellipse;
    Eigen::Vector4d numbers = Eigen::Vector4d::Zero();

    [[nodiscard]] FieldShape field() const;
};

/// One step of Gauss-Newton: the shape of all stars used and each one's place, flux and sky.
void stepShape(TrialShape& shape, std::vector<ShapeStar>& stars);

} // namespace pathmark::detect
