#include "core/orbit/motion/trajectory.h"

#include "core/base/expects.h"
#include "core/orbit/motion/gauss_radau.h"
#include "core/orbit/motion/kepler.h"

#include <fmt/format.h>

#include <algorithm>
#include <variant>

namespace pathmark::orbit {
namespace {

/// Time beyond the asked-for stretch that light may have needed: 300 au.
constexpr double kLightMarginDays = 2.0;

/// The force of one body and, for N > 3, of its variations behind it.
template <std::size_t N>
struct Pull {
    using Moment = Forces::Moment;
    static constexpr std::size_t kColumns = N / 3 - 1;

    const Forces* forces;
    double epochSeconds;

    bool moment(double days, Moment& m) const {
        return forces->moment(epochSeconds + days * kSecondsPerDay, m);
    }

    void accelerate(const Moment& m,
                    const std::array<double, N>& x,
                    const std::array<double, N>& v,
                    std::array<double, N>& a) const {
        const Vec3 place{x[0], x[1], x[2]};
        const Vec3 velocity{v[0], v[1], v[2]};
        const Vec3 own = forces->acceleration(m, place, velocity);
        std::copy(own.begin(), own.end(), a.begin());
        if constexpr (N > 3) {
            const auto p = forces->partials(m, place, velocity);
            for (std::size_t column = 0; column < kColumns; ++column) {
                const std::size_t at = 3 + 3 * column;
                for (std::size_t i = 0; i < 3; ++i) {
                    double sum = column >= 6 ? p.byPush[3 * i + column - 6] : 0.0;
                    for (std::size_t j = 0; j < 3; ++j) {
                        sum +=
                            p.byPlace[3 * i + j] * x[at + j] + p.byVelocity[3 * i + j] * v[at + j];
                    }
                    a[at + i] = sum;
                }
            }
        }
    }
};

std::string nameOf(SpkBody body) {
    switch (body) {
    case SpkBody::Sun: return "the Sun";
    case SpkBody::Mercury: return "Mercury";
    case SpkBody::Venus: return "Venus";
    case SpkBody::Earth: return "the Earth";
    case SpkBody::Moon: return "the Moon";
    case SpkBody::Mars: return "Mars";
    case SpkBody::Jupiter: return "Jupiter";
    case SpkBody::Saturn: return "Saturn";
    case SpkBody::Uranus: return "Uranus";
    case SpkBody::Neptune: return "Neptune";
    case SpkBody::Pluto: return "Pluto";
    default: return fmt::format("minor planet {}", static_cast<int>(body) - 2000000);
    }
}

std::string dayOf(const Tdb& time) {
    return toIso(toUtc(time), 0).substr(0, 10);
}

} // namespace

struct Trajectory::Steps {
    template <std::size_t N>
    using List = std::vector<RadauStep<N>>;
    std::variant<List<3>, List<21>, List<30>> list;

    template <std::size_t N>
    static const RadauStep<N>& at(const List<N>& list, double days);
};

namespace {

template <std::size_t N>
double earlierEnd(const RadauStep<N>& s) {
    return std::min(s.start, s.start + s.length);
}

template <std::size_t N>
double laterEnd(const RadauStep<N>& s) {
    return std::max(s.start, s.start + s.length);
}

/// Start values: the body, then the unit matrix for the columns of place and velocity.
template <std::size_t N>
GaussRadau<N, Pull<N>>
startAt(Pull<N>& pull, const Vec3& place, const Vec3& velocity, double firstStep) {
    std::array<double, N> x{};
    std::array<double, N> v{};
    std::copy(place.begin(), place.end(), x.begin());
    std::copy(velocity.begin(), velocity.end(), v.begin());
    if constexpr (N > 3) {
        for (std::size_t i = 0; i < 3; ++i) {
            x[3 + 3 * i + i] = 1.0;
            v[12 + 3 * i + i] = 1.0;
        }
    }
    return {pull, 0.0, x, v, firstStep};
}

struct Way {
    Vec3 place{};
    Vec3 velocity{};
    Tdb epoch;
    double from = 0.0; ///< days after the epoch
    double to = 0.0;
};

Error whyStopped(const Forces& forces, const Way& way, double days, bool shortStep) {
    const Tdb time = way.epoch.plusSeconds(days * kSecondsPerDay);
    if (!shortStep) {
        for (const Attractor& a : kMajorBodies) {
            if (forces.planets().has(a.body)) {
                if (auto state = forces.planets().state(a.body, time); !state) {
                    return state.error();
                }
            }
        }
    }
    return {ErrorId::OrbitCollision,
            fmt::format("The motion cannot be followed beyond {}: the body comes too near to "
                        "another one.",
                        dayOf(time)),
            {}};
}

/// Integrates from the epoch to `end`; steps that touch [from, to] are kept.
template <std::size_t N>
std::optional<Error> follow(const Forces& forces,
                            const Way& way,
                            double end,
                            std::vector<RadauStep<N>>& steps,
                            double& nearestToEarth) {
    Pull<N> pull{&forces, secondsPastJ2000(way.epoch)};
    const double direction = end < 0.0 ? -1.0 : 1.0;
    const double r = norm(way.place);
    const double first = 0.02 * std::sqrt(r * r * r / kSunGm);
    auto integrator = startAt<N>(pull, way.place, way.velocity, direction * first);
    Forces::Moment moment;
    while (true) {
        if (!integrator.advance()) {
            const double at = integrator.step().start;
            const bool covered = pull.moment(at + integrator.step().length, moment);
            return whyStopped(forces, way, covered ? at : at + integrator.step().length, covered);
        }
        const RadauStep<N>& step = integrator.step();
        if (earlierEnd(step) <= way.to && laterEnd(step) >= way.from) {
            steps.push_back(step);
        }
        for (const double h : {0.5, 1.0}) {
            const double days = step.start + h * step.length;
            if (!pull.moment(days, moment)) {
                break;
            }
            Vec3 place{};
            step.position(h, place.data(), 3);
            nearestToEarth = std::min(nearestToEarth, norm(place - moment.places[3]));
            if (const auto body = forces.met(moment, place)) {
                return Error{ErrorId::OrbitCollision,
                             fmt::format("The body meets {} about {}; there is no place after it.",
                                         nameOf(*body),
                                         dayOf(way.epoch.plusSeconds(days * kSecondsPerDay))),
                             {}};
            }
        }
        if ((step.start + step.length - end) * direction >= 0.0) {
            return std::nullopt;
        }
        integrator.proceed();
    }
}

template <std::size_t N>
std::optional<Error> followBothWays(const Forces& forces,
                                    const Way& way,
                                    std::vector<RadauStep<N>>& steps,
                                    double& nearestToEarth) {
    if (way.from < 0.0) {
        if (auto error = follow<N>(forces, way, way.from, steps, nearestToEarth)) {
            return error;
        }
        std::reverse(steps.begin(), steps.end());
    }
    if (way.to > 0.0) {
        return follow<N>(forces, way, way.to, steps, nearestToEarth);
    }
    return std::nullopt;
}

} // namespace

template <std::size_t N>
const RadauStep<N>& Trajectory::Steps::at(const List<N>& list, double days) {
    // The first step that ends after the time; beyond the last the last polynomial still holds for a moment.
    auto found = std::lower_bound(
        list.begin(), list.end(), days, [](const auto& s, double t) { return laterEnd(s) < t; });
    return found == list.end() ? list.back() : *found;
}

Trajectory::Trajectory() : steps_(std::make_unique<Steps>()) {}

Trajectory::Trajectory(Trajectory&&) noexcept = default;
Trajectory& Trajectory::operator=(Trajectory&&) noexcept = default;
Trajectory::~Trajectory() = default;

Result<Trajectory> Trajectory::make(const StateVector& heliocentric,
                                    const Tdb& epoch,
                                    const Forces& forces,
                                    const Tdb& from,
                                    const Tdb& to,
                                    const TrajectoryOptions& options) {
    auto sun = forces.planets().sun(epoch);
    if (!sun) {
        return fail(sun.error());
    }
    Trajectory trajectory;
    trajectory.epoch_ = epoch;
    Way way;
    way.epoch = epoch;
    way.place = heliocentric.position + sun->position;
    way.velocity = heliocentric.velocity + sun->velocity;
    way.from = from.secondsSince(epoch) / kSecondsPerDay - kLightMarginDays;
    way.to = to.secondsSince(epoch) / kSecondsPerDay + 1e-3;
    // A kernel that ends just before light's margin does not spoil the rest.
    Forces::Moment moment;
    if (!forces.moment(secondsPastJ2000(epoch) + way.from * kSecondsPerDay, moment)) {
        way.from += kLightMarginDays - 0.05;
    }
    const auto run = [&](auto& list) {
        return followBothWays(forces, way, list, trajectory.nearestToEarth_);
    };
    std::optional<Error> error;
    if (!options.variations) {
        error = run(trajectory.steps_->list.emplace<Steps::List<3>>());
    } else if (!options.pushes) {
        error = run(trajectory.steps_->list.emplace<Steps::List<21>>());
    } else {
        error = run(trajectory.steps_->list.emplace<Steps::List<30>>());
    }
    if (error) {
        return fail(*error);
    }
    return trajectory;
}

Result<Trajectory> Trajectory::make(const Elements& elements,
                                    const Planets& planets,
                                    const Tdb& from,
                                    const Tdb& to,
                                    const TrajectoryOptions& options) {
    auto trajectory = make(stateOf(elements),
                           elements.epoch,
                           Forces(planets, elements.name, elements.outgassing),
                           from,
                           to,
                           options);
    if (!trajectory) {
        Error error = trajectory.error();
        if (error.subject.empty()) {
            error.subject = elements.name;
        }
        return fail(error);
    }
    return trajectory;
}

StateVector Trajectory::barycentric(const Tdb& time) const {
    const double days = time.secondsSince(epoch_) / kSecondsPerDay;
    return std::visit(
        [&](const auto& list) {
            PATHMARK_EXPECTS(!list.empty());
            const auto& step = Steps::at(list, days);
            const double h = (days - step.start) / step.length;
            StateVector state;
            step.position(h, state.position.data(), 3);
            step.velocity(h, state.velocity.data(), 3);
            return state;
        },
        steps_->list);
}

Variation Trajectory::variation(const Tdb& time) const {
    const double days = time.secondsSince(epoch_) / kSecondsPerDay;
    return std::visit(
        [&]<std::size_t N>(const std::vector<RadauStep<N>>& list) {
            PATHMARK_EXPECTS(N > 3 && !list.empty());
            const auto& step = Steps::at(list, days);
            const double h = (days - step.start) / step.length;
            std::array<double, N> x{};
            std::array<double, N> v{};
            step.position(h, x.data());
            step.velocity(h, v.data());
            Variation variation;
            for (std::size_t column = 0; column + 1 < N / 3; ++column) {
                for (std::size_t i = 0; i < 3; ++i) {
                    variation.matrix[i][column] = x[3 + 3 * column + i];
                    variation.matrix[3 + i][column] = v[3 + 3 * column + i];
                }
            }
            return variation;
        },
        steps_->list);
}

StateVector stateOf(const Elements& elements) {
    return propagateTwoBody(elements, elements.epoch);
}

} // namespace pathmark::orbit
