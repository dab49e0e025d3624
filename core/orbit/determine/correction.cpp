#include "core/orbit/determine/correction.h"

#include "core/base/linear.h"
#include "core/orbit/motion/trajectory.h"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

namespace pathmark::orbit {
namespace {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;

/// Residual and partials of one sighting in units of its errors.
struct Row {
    Eigen::Vector2d residual;             ///< radians
    Eigen::Matrix2d weight;               ///< inverse covariance
    Eigen::Matrix<double, 2, 9> partials; ///< of the computed place
};

Eigen::Matrix2d weightOf(const Sighting& s) {
    Eigen::Matrix2d c;
    c << s.sigmaXi * s.sigmaXi, s.correlation * s.sigmaXi * s.sigmaEta,
        s.correlation * s.sigmaXi * s.sigmaEta, s.sigmaEta * s.sigmaEta;
    return c.inverse();
}

struct Solution {
    StateVector state;
    Outgassing push;
};

/// One trajectory with variations, and what it says of every sighting.
Result<std::vector<Row>> rowsOf(const Solution& solution,
                                const Tdb& epoch,
                                std::span<const Sighting> sightings,
                                const Forces& forces,
                                bool outgassing,
                                bool partials) {
    Forces pulled = forces;
    if (outgassing) {
        pulled.setOutgassing(solution.push);
    }
    auto trajectory = Trajectory::make(solution.state,
                                       epoch,
                                       pulled,
                                       sightings.front().observer.tdb,
                                       sightings.back().observer.tdb,
                                       {.variations = partials, .pushes = partials && outgassing});
    if (!trajectory) {
        return fail(trajectory.error());
    }
    std::vector<Row> rows;
    rows.reserve(sightings.size());
    for (const Sighting& s : sightings) {
        const Sight sight = sightOf(*trajectory, s.observer);
        const PlanePos off = toTangentPlane(SkyPos::fromVector(sight.fromObserver), s.sky);
        Row row;
        // Behind the tangent point: as far off as can be.
        row.residual << (std::isnan(off.xi) ? 3.0 : off.xi), (std::isnan(off.eta) ? 3.0 : off.eta);
        row.weight = weightOf(s);
        if (partials) {
            const auto p = skyPartials(sight, trajectory->variation(sight.emitted));
            for (int j = 0; j < 9; ++j) {
                row.partials(0, j) = p[0][static_cast<std::size_t>(j)];
                row.partials(1, j) = p[1][static_cast<std::size_t>(j)];
            }
        }
        rows.push_back(row);
    }
    return rows;
}

double chiSquareOf(const std::vector<Row>& rows, const std::vector<bool>& use) {
    double sum = 0.0;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        sum += use[i] ? rows[i].residual.dot(rows[i].weight * rows[i].residual) : 0.0;
    }
    return sum;
}

/// Normal equations over the first `unknowns` columns.
struct Normal {
    Matrix matrix;
    Vector right;
};

Normal normalOf(const std::vector<Row>& rows, const std::vector<bool>& use, int unknowns) {
    Normal n{Matrix::Zero(unknowns, unknowns), Vector::Zero(unknowns)};
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (use[i]) {
            for (int j = 0; j < unknowns; ++j) {
                const Eigen::Vector2d weighted = rows[i].weight * rows[i].partials.col(j);
                n.right[j] += weighted.dot(rows[i].residual);
                for (int k = 0; k < unknowns; ++k) {
                    n.matrix(j, k) += weighted.dot(rows[i].partials.col(k));
                }
            }
        }
    }
    return n;
}

/// What brings the matrix to ones on its diagonal.
Vector scaleOf(const Matrix& m) {
    Vector scale(m.rows());
    for (Eigen::Index i = 0; i < m.rows(); ++i) {
        scale[i] = 1.0 / std::sqrt(std::max(m(i, i), 1e-300));
    }
    return scale;
}

/// Inverse by way of the principal axes; those that nothing fixes are held to 1e-15 of the best.
Matrix inverseOf(const Matrix& m) {
    const Vector scale = scaleOf(m);
    const PrincipalAxes axes = principalAxesOf(scaledBothSides(m, scale));
    const Eigen::Index n = m.rows();
    Matrix roots = axes.vectors;
    for (Eigen::Index k = 0; k < n; ++k) {
        const double value = std::max(axes.values[k], 1e-15 * axes.values[n - 1]);
        roots.col(k) /= std::sqrt(value);
    }
    return scaledBothSides(productOf(roots, roots.transpose()), scale);
}

Vector dampedStep(const Normal& n, double damping) {
    const Vector scale = scaleOf(n.matrix);
    Matrix scaled = scaledBothSides(n.matrix, scale);
    for (Eigen::Index i = 0; i < scaled.rows(); ++i) {
        scaled(i, i) += damping;
    }
    const Vector right = scale.cwiseProduct(n.right);
    return scale.cwiseProduct(solveSymmetric(scaled, right));
}

Solution moved(const Solution& s, const Vector& step) {
    Solution next = s;
    for (std::size_t i = 0; i < 3; ++i) {
        const auto k = static_cast<Eigen::Index>(i);
        next.state.position[i] += step[k];
        next.state.velocity[i] += step[k + 3];
    }
    if (step.size() > 6) {
        next.push.radial += step[6];
        next.push.transverse += step[7];
    }
    return next;
}

/// Orbits that are none: beyond 500 au, or faster than anything seen in the solar system.
bool plausible(const Solution& s) {
    return norm(s.state.position) < 500.0 && norm(s.state.velocity) < 0.15;
}

/// Chi-square of a residual with the orbit's own uncertainty taken off where it was part of the fit, added
/// where it was not.
double rejectionChi(const Row& row, const Matrix& covariance, bool used) {
    const Eigen::Matrix2d own = row.weight.inverse();
    Eigen::Matrix2d orbit = Eigen::Matrix2d::Zero();
    for (Eigen::Index j = 0; j < covariance.rows(); ++j) {
        for (Eigen::Index k = 0; k < covariance.rows(); ++k) {
            orbit += covariance(j, k) * row.partials.col(j) * row.partials.col(k).transpose();
        }
    }
    Eigen::Matrix2d expected = used ? Eigen::Matrix2d(own - orbit) : Eigen::Matrix2d(own + orbit);
    // One sighting that fixes the orbit alone has no residual to judge it by.
    if (expected.determinant() < 1e-4 * own.determinant()) {
        expected = own;
    }
    return row.residual.dot(expected.inverse() * row.residual);
}

/// Leaves out and takes back; true where anything changed. At most a fourth is left out, the worst first.
bool reject(const std::vector<Row>& rows,
            const Matrix& covariance,
            const std::vector<bool>& allowed,
            const CorrectionOptions& options,
            double looseness,
            std::vector<bool>& use) {
    std::vector<std::pair<double, std::size_t>> bad;
    std::size_t eligible = 0;
    std::vector<bool> next = use;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (!allowed[i]) {
            continue;
        }
        ++eligible;
        const double chi = rejectionChi(rows[i], covariance, use[i]);
        if (chi > looseness * (use[i] ? options.rejectChi : options.recoverChi)) {
            bad.emplace_back(chi, i);
        }
        next[i] = true;
    }
    std::sort(bad.rbegin(), bad.rend());
    bad.resize(std::min({bad.size(), eligible / 4, eligible > 4 ? eligible - 4 : 0}));
    for (const auto& [chi, i] : bad) {
        next[i] = false;
    }
    const bool changed = next != use;
    use = next;
    return changed;
}

/// Where a choice comes again, the sightings in it come and go for ever, each bad beside the fit without it: all of them stay.
bool joinCycle(const std::vector<std::vector<bool>>& before, std::vector<bool>& use) {
    const auto first = std::find(before.begin(), before.end(), use);
    for (auto at = first; at != before.end(); ++at) {
        for (std::size_t i = 0; i < use.size(); ++i) {
            use[i] = use[i] || (*at)[i];
        }
    }
    return first != before.end();
}

double medianChi(const std::vector<Row>& rows, const std::vector<bool>& allowed) {
    std::vector<double> chi;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (allowed[i]) {
            chi.push_back(rows[i].residual.dot(rows[i].weight * rows[i].residual));
        }
    }
    std::nth_element(
        chi.begin(), chi.begin() + static_cast<std::ptrdiff_t>(chi.size() / 2), chi.end());
    return chi[chi.size() / 2];
}

Residual toResidual(const Row& row, bool used) {
    return {row.residual[0] / kRadiansPerArcsec,
            row.residual[1] / kRadiansPerArcsec,
            row.residual.dot(row.weight * row.residual),
            used};
}

CorrectedOrbit finish(const Solution& solution,
                      const Tdb& epoch,
                      const std::vector<Row>& rows,
                      const std::vector<bool>& use,
                      bool outgassing) {
    CorrectedOrbit orbit;
    orbit.state = solution.state;
    orbit.epoch = epoch;
    orbit.unknowns = outgassing ? 8 : 6;
    if (outgassing) {
        orbit.outgassing = solution.push;
    }
    for (std::size_t i = 0; i < rows.size(); ++i) {
        orbit.residuals.push_back(toResidual(rows[i], use[i]));
        orbit.used += use[i] ? 1 : 0;
    }
    orbit.chiSquare = chiSquareOf(rows, use);
    const Matrix covariance = inverseOf(normalOf(rows, use, orbit.unknowns).matrix);
    for (Eigen::Index i = 0; i < orbit.unknowns; ++i) {
        for (Eigen::Index j = 0; j < orbit.unknowns; ++j) {
            orbit.covariance.matrix[static_cast<std::size_t>(9 * i + j)] = covariance(i, j);
        }
    }
    return orbit;
}

} // namespace

double CorrectedOrbit::rmsArcsec() const {
    double sum = 0.0;
    for (const Residual& r : residuals) {
        sum += r.used ? r.xiArcsec * r.xiArcsec + r.etaArcsec * r.etaArcsec : 0.0;
    }
    return std::sqrt(sum / std::max(1, 2 * used));
}

Result<std::vector<Residual>> residualsOf(const StateVector& state,
                                          const Tdb& epoch,
                                          std::span<const Sighting> sightings,
                                          const Forces& forces) {
    auto rows = rowsOf({state, {}}, epoch, sightings, forces, false, false);
    if (!rows) {
        return fail(rows.error());
    }
    std::vector<Residual> residuals;
    for (const Row& row : *rows) {
        residuals.push_back(toResidual(row, false));
    }
    return residuals;
}

Result<CorrectedOrbit> correctOrbit(const StartOrbit& start,
                                    std::span<const Sighting> sightings,
                                    const Forces& forces,
                                    const CorrectionOptions& options,
                                    const std::vector<bool>& given) {
    const std::vector<bool> allowed =
        given.empty() ? std::vector<bool>(sightings.size(), true) : given;
    std::vector<bool> use = allowed;
    if (std::count(use.begin(), use.end(), true) < 3) {
        return fail(ErrorId::OrbitTooFewObservations,
                    "An orbit needs three places on the sky at least.");
    }
    const int unknowns = options.outgassing ? 8 : 6;
    Solution solution{start.state, forces.outgassing().value_or(Outgassing{})};
    auto rows = rowsOf(solution, start.epoch, sightings, forces, options.outgassing, true);
    if (!rows) {
        return fail(rows.error());
    }
    double damping = 1e-4;
    bool settled = false;
    bool rejects = options.reject;
    std::vector<std::vector<bool>> before;
    for (int round = 0; round < options.rounds; ++round) {
        if (options.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        const Normal normal = normalOf(*rows, use, unknowns);
        const double chi = chiSquareOf(*rows, use);
        bool better = false;
        double gain = 0.0;
        for (int attempt = 0; attempt < 10 && !better; ++attempt) {
            const Solution next = moved(solution, dampedStep(normal, damping));
            auto nextRows =
                plausible(next)
                    ? rowsOf(next, start.epoch, sightings, forces, options.outgassing, true)
                    : fail(ErrorId::OrbitNotDetermined, "");
            const double nextChi =
                nextRows ? chiSquareOf(*nextRows, use) : std::numeric_limits<double>::infinity();
            if (nextChi <= chi * (1.0 + 1e-12)) {
                better = true;
                gain = chi - nextChi;
                solution = next;
                rows = std::move(nextRows);
                damping = damping < 1e-13 ? 0.0 : 0.05 * damping;
            } else {
                damping = std::max(1e-13, 20.0 * damping);
            }
        }
        settled = !better || gain < 1e-3 + 1e-7 * chi;
        if (!settled) {
            continue;
        }
        if (!rejects) {
            break;
        }
        // A fit that is bad all over is no reason to leave out all but a few: the bound follows the median.
        const double looseness = std::max(1.0, medianChi(*rows, allowed) / 1.39);
        const Matrix covariance = inverseOf(normalOf(*rows, use, unknowns).matrix);
        before.push_back(use);
        if (!reject(*rows, covariance, allowed, options, looseness, use)) {
            break;
        }
        rejects = !joinCycle(before, use);
        settled = false;
        damping = 1e-6;
    }
    if (!settled) {
        return fail(
            ErrorId::OrbitNotDetermined,
            "The orbit does not settle: too few places, too short an arc, or not one body.");
    }
    return finish(solution, start.epoch, *rows, use, options.outgassing);
}

} // namespace pathmark::orbit
