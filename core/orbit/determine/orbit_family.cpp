#include "core/orbit/determine/orbit_family.h"

#include "core/base/linear.h"
#include "core/orbit/motion/trajectory.h"

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {

OrbitFamily::OrbitFamily(Elements elements,
                         const Tdb& epoch,
                         const StateVector& state,
                         const OrbitCovariance& covariance)
    : elements_(std::move(elements)), epoch_(epoch), state_(state) {
    Eigen::MatrixXd matrix(6, 6);
    for (Eigen::Index i = 0; i < 6; ++i) {
        for (Eigen::Index j = 0; j < 6; ++j) {
            matrix(i, j) = covariance.matrix[static_cast<std::size_t>(9 * i + j)];
        }
    }
    Eigen::VectorXd scale(6);
    for (Eigen::Index i = 0; i < 6; ++i) {
        scale[i] = std::sqrt(std::max(matrix(i, i), 1e-60));
    }
    const PrincipalAxes axes = principalAxesOf(scaledBothSides(matrix, scale.cwiseInverse()));
    for (Eigen::Index k = 0; k < 6; ++k) {
        const double size = std::sqrt(std::max(0.0, axes.values[k]));
        steps_.col(k) = scale.cwiseProduct(size * axes.vectors.col(k));
    }
}

OrbitFamily::OrbitFamily(const Elements& elements)
    : OrbitFamily(elements, elements.epoch, stateOf(elements), *elements.covariance) {}

Elements OrbitFamily::at(const Sigmas& sigmas) const {
    StateVector state = state_;
    for (std::size_t axis = 0; axis < kAxes; ++axis) {
        for (std::size_t i = 0; i < 3; ++i) {
            const auto row = static_cast<Eigen::Index>(i);
            const auto column = static_cast<Eigen::Index>(axis);
            state.position[i] += sigmas[axis] * steps_(row, column);
            state.velocity[i] += sigmas[axis] * steps_(row + 3, column);
        }
    }
    Elements elements = elementsOf(state, epoch_);
    elements.name = elements_.name;
    elements.brightness = elements_.brightness;
    elements.outgassing = elements_.outgassing;
    return elements;
}

} // namespace pathmark::orbit
