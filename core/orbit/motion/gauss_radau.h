#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>

namespace pathmark::orbit {

/// The fixed numbers of Everhart's method of order 15.
///
/// Source   Everhart 1985, in Dynamics of Comets: Their Origin and Evolution (IAU Coll. 83), p. 185; the nodes
///          are the zeros of the Gauss-Radau polynomial of seven inner points.
struct RadauNumbers {
    static constexpr std::size_t kNodes = 7;
    static constexpr std::array<double, 8> h{0.0,
                                             0.0562625605369221464656522,
                                             0.1802406917368923649875799,
                                             0.3526247171131696373739078,
                                             0.5471536263305553830014486,
                                             0.7342101772154105315232106,
                                             0.8853209468390957680903598,
                                             0.9775206135612875018911745};

    /// newton[k][j]: the coefficient of h^j in the product (h - h1) ... (h - hk).
    std::array<std::array<double, 7>, 7> newton{};
    /// choose[k][j] = k + 1 over j + 1.
    std::array<std::array<double, 7>, 7> choose{};

    constexpr RadauNumbers() {
        newton[0][0] = 1.0;
        for (std::size_t k = 1; k < 7; ++k) {
            for (std::size_t j = 0; j <= k; ++j) {
                newton[k][j] =
                    (j > 0 ? newton[k - 1][j - 1] : 0.0) - (j < k ? h[k] * newton[k - 1][j] : 0.0);
            }
        }
        for (std::size_t k = 0; k < 7; ++k) {
            for (std::size_t j = 0; j <= k; ++j) {
                double value = 1.0;
                for (std::size_t i = 0; i <= j; ++i) {
                    value *= static_cast<double>(k + 1 - i) / static_cast<double>(i + 1);
                }
                choose[k][j] = value;
            }
        }
    }
};

inline constexpr RadauNumbers kRadau;

/// One step: state at its start and the polynomial of the acceleration, a0 + b1 h + ... + b7 h^7.
template <std::size_t N>
struct RadauStep {
    double start = 0.0;
    double length = 0.0; ///< negative for a step into the past
    std::array<double, N> x{};
    std::array<double, N> v{};
    std::array<double, N> a{};
    std::array<std::array<double, N>, 7> b{};

    void position(double h, double* out, std::size_t count = N) const {
        const double t = h * length;
        for (std::size_t i = 0; i < count; ++i) {
            double sum = b[6][i] / 72.0;
            sum = b[5][i] / 56.0 + h * sum;
            sum = b[4][i] / 42.0 + h * sum;
            sum = b[3][i] / 30.0 + h * sum;
            sum = b[2][i] / 20.0 + h * sum;
            sum = b[1][i] / 12.0 + h * sum;
            sum = b[0][i] / 6.0 + h * sum;
            out[i] = x[i] + t * (v[i] + t * (0.5 * a[i] + h * sum));
        }
    }

    void velocity(double h, double* out, std::size_t count = N) const {
        for (std::size_t i = 0; i < count; ++i) {
            double sum = b[6][i] / 8.0;
            sum = b[5][i] / 7.0 + h * sum;
            sum = b[4][i] / 6.0 + h * sum;
            sum = b[3][i] / 5.0 + h * sum;
            sum = b[2][i] / 4.0 + h * sum;
            sum = b[1][i] / 3.0 + h * sum;
            sum = b[0][i] / 2.0 + h * sum;
            out[i] = v[i] + h * length * (a[i] + h * sum);
        }
    }
};

/// Integrates x'' = f(t, x, x') with steps that suit the motion.
///
/// Model    The step is a share of the time in which the acceleration of the first three components changes: some
///          36 steps a revolution, by which the last term of the polynomial is 1e-9 of it and rounding is
///          all that is left of the error.
/// Errors   advance() returns false where the force could not be had or the step became too short.
/// Source   Everhart 1985 (see RadauNumbers); iteration: Rein & Spiegel 2015, MNRAS 446, 1424; choice of the step: Pham,
///          Rein & Spiegel 2024, Open J. Astrophys. 7, 1.
template <std::size_t N, typename Force>
class GaussRadau {
  public:
    using Values = std::array<double, N>;

    /// `force.moment(t, moment)` false where it fails; `force.accelerate(moment, x, v, a)`.
    GaussRadau(Force& force, double t, const Values& x, const Values& v, double firstStep)
        : force_(force), next_(firstStep) {
        step_.start = t;
        step_.x = x;
        step_.v = v;
    }

    /// Makes one step; it may reach beyond `until` in the direction of the first step.
    bool advance() {
        typename Force::Moment moment;
        if (!force_.moment(step_.start, moment)) {
            return false;
        }
        force_.accelerate(moment, step_.x, step_.v, step_.a);
        for (int attempt = 0; attempt < 60; ++attempt) {
            if (!tryStep(next_)) {
                return false;
            }
            const double wanted = wantedStep();
            if (std::abs(wanted) >= 0.25 * std::abs(next_)) {
                following_ = wanted;
                return true;
            }
            if (std::abs(wanted) < kShortest) {
                return false;
            }
            predict(step_.b, wanted / next_, false);
            next_ = wanted;
        }
        return false;
    }

    /// The step just made.
    [[nodiscard]] const RadauStep<N>& step() const { return step_; }

    /// Goes on from the end of the step just made.
    void proceed() {
        Values x;
        Values v;
        step_.position(1.0, x.data());
        step_.velocity(1.0, v.data());
        const double q = following_ / step_.length;
        step_.start += step_.length;
        step_.x = x;
        step_.v = v;
        predict(step_.b, q, true);
        next_ = following_;
    }

  private:
    static constexpr double kShortest = 1e-7; // days: 9 ms
    static constexpr double kShare = 0.1751;  // (5040 x 1e-9)^(1/7)

    using Polynomial = std::array<std::array<double, N>, 7>;

    /// The polynomial in the variable of the next step, of which q is the ratio to this one.
    void predict(Polynomial& b, double q, bool fromEnd) {
        Polynomial shifted{};
        double power = 1.0;
        for (std::size_t j = 0; j < 7; ++j) {
            power *= q;
            for (std::size_t k = fromEnd ? 6 : j;; --k) {
                const double factor = power * (fromEnd ? kRadau.choose[k][j] : 1.0);
                for (std::size_t i = 0; i < N; ++i) {
                    shifted[j][i] += factor * b[k][i];
                }
                if (k == j) {
                    break;
                }
            }
        }
        b = shifted;
        if (std::abs(q) > 20.0) {
            b = {};
        }
    }

    bool tryStep(double length) {
        step_.length = length;
        for (std::size_t n = 0; n < 7; ++n) {
            if (!force_.moment(step_.start + kRadau.h[n + 1] * length, moments_[n])) {
                return false;
            }
        }
        toNewton();
        double last = 2.0;
        for (int round = 0; round < 12; ++round) {
            double change = 0.0;
            for (std::size_t n = 0; n < 7; ++n) {
                change = correct(n);
            }
            if (change < 1e-16 || (round > 2 && change >= last)) {
                break;
            }
            last = change;
        }
        return true;
    }

    /// The polynomial's coefficients as divided differences.
    void toNewton() {
        for (std::size_t k = 7; k-- > 0;) {
            for (std::size_t i = 0; i < N; ++i) {
                double value = step_.b[k][i];
                for (std::size_t above = k + 1; above < 7; ++above) {
                    value -= g_[above][i] * kRadau.newton[above][k];
                }
                g_[k][i] = value;
            }
        }
    }

    /// Force at node n and its part in the polynomial; returns the change of the last term.
    double correct(std::size_t n) {
        const double h = kRadau.h[n + 1];
        Values x;
        Values v;
        Values a;
        step_.position(h, x.data());
        step_.velocity(h, v.data());
        force_.accelerate(moments_[n], x, v, a);
        double largest = 0.0;
        double change = 0.0;
        for (std::size_t i = 0; i < N; ++i) {
            double g = (a[i] - step_.a[i]) / h;
            for (std::size_t k = 0; k < n; ++k) {
                g = (g - g_[k][i]) / (h - kRadau.h[k + 1]);
            }
            const double difference = g - g_[n][i];
            g_[n][i] = g;
            for (std::size_t j = 0; j <= n; ++j) {
                step_.b[j][i] += difference * kRadau.newton[n][j];
            }
            if (i < 3) {
                largest = std::max(largest, std::abs(a[i]));
                change = std::max(change, std::abs(difference));
            }
        }
        return change / std::max(largest, 1e-300);
    }

    /// From acceleration and its first two derivatives at the step's end, of the first three components. The last term of
    /// the polynomial, the older criterion, drowns in rounding near a planet, where the place's digits
    /// are those of the distance from the Sun.
    [[nodiscard]] double wantedStep() const {
        double a2 = 0.0;
        double jerk2 = 0.0;
        double snap2 = 0.0;
        for (std::size_t i = 0; i < 3; ++i) {
            double a = step_.a[i];
            double jerk = 0.0;
            double snap = 0.0;
            for (std::size_t k = 0; k < 7; ++k) {
                const auto order = static_cast<double>(k + 1);
                a += step_.b[k][i];
                jerk += order * step_.b[k][i];
                snap += order * static_cast<double>(k) * step_.b[k][i];
            }
            a2 += a * a;
            jerk2 += jerk * jerk;
            snap2 += snap * snap;
        }
        const double time2 = 2.0 * a2 / std::max(jerk2 + std::sqrt(a2 * snap2), 1e-300);
        return step_.length * std::min(kShare * std::sqrt(time2), 4.0);
    }

    Force& force_;
    double next_;
    double following_ = 0.0;
    RadauStep<N> step_;
    Polynomial g_{};
    std::array<typename Force::Moment, 7> moments_{};
};

} // namespace pathmark::orbit
