#pragma once

#include "core/orbit/motion/trajectory.h"

#include <vector>

namespace pathmark::test_support {

/// Barycentric states of a body by another method of another library: Runge-Kutta-Prince-Dormand 8(9) of the
/// GNU Scientific Library, with the force written down anew in heliocentric form (indirect terms and all),
/// relative error 1e-14 a step. Only the planets' places are shared.
///
/// `days` after the epoch, all of one sign and growing away from it.
std::vector<orbit::StateVector> integrateOtherwise(const orbit::StateVector& heliocentric,
                                                   const Tdb& epoch,
                                                   const orbit::Planets& planets,
                                                   const orbit::Outgassing& push,
                                                   const std::vector<double>& days);

} // namespace pathmark::test_support
