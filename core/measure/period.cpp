#include "core/measure/period.h"

#include "core/base/linear.h"
#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace pathmark::measure {
namespace {

constexpr std::size_t kLeastPoints = 10;
constexpr int kMostHarmonics = 4;
constexpr double kStepsInWidth = 20.0;
constexpr std::size_t kMostAliases = 6;
constexpr std::size_t kHollows = 30; ///< of a scan that are looked at
constexpr double kAliasRise = 9.0;   ///< of chi-square, in its share of a degree of freedom
constexpr double kTurn = 2.0 * std::numbers::pi;

/// A Fourier series at one frequency.
struct Curve {
    double chiSquare = 0.0; ///< not reduced
    Eigen::VectorXd parameters;
    Eigen::MatrixXd covariance;
};

class Search {
  public:
    explicit Search(std::span<const CurvePoint> points) : points_(points) {
        double first = points.front().days;
        double last = first;
        for (const CurvePoint& p : points) {
            first = std::min(first, p.days);
            last = std::max(last, p.days);
            groups_ = std::max(groups_, p.group + 1);
        }
        start_ = first;
        span_ = last - first;
    }

    [[nodiscard]] double span() const { return span_; }

    [[nodiscard]] int levels() const { return groups_; }

    /// The chi-square of the levels alone where `harmonics` is 0.
    [[nodiscard]] Curve fit(double frequency, int harmonics) const {
        const Eigen::Index n = groups_ + 2 * harmonics;
        Eigen::MatrixXd left = Eigen::MatrixXd::Zero(n, n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
        double total = 0.0;
        Eigen::VectorXd row(n);
        for (const CurvePoint& p : points_) {
            fill(p, frequency, harmonics, row);
            const double w = 1.0 / (p.error * p.error);
            for (Eigen::Index a = 0; a < n; ++a) {
                right(a) += w * row(a) * p.mag;
                for (Eigen::Index b = 0; b <= a; ++b) {
                    left(a, b) += w * row(a) * row(b);
                }
            }
            total += w * p.mag * p.mag;
        }
        for (Eigen::Index a = 0; a < n; ++a) {
            left(a, a) *= 1.0 + 1e-10;
            for (Eigen::Index b = a + 1; b < n; ++b) {
                left(a, b) = left(b, a);
            }
        }
        Curve curve;
        curve.parameters = solveSymmetric(left, right);
        curve.chiSquare = std::max(1e-12, total - curve.parameters.dot(right));
        curve.covariance = left;
        return curve;
    }

    /// The light at a phase, without its level.
    static double at(const Curve& curve, int levels, int harmonics, double phase) {
        double mag = 0.0;
        for (int k = 1; k <= harmonics; ++k) {
            mag += curve.parameters(levels + 2 * k - 2) * std::cos(kTurn * k * phase) +
                   curve.parameters(levels + 2 * k - 1) * std::sin(kTurn * k * phase);
        }
        return mag;
    }

  private:
    void fill(const CurvePoint& p, double frequency, int harmonics, Eigen::VectorXd& row) const {
        row.setZero();
        row(p.group) = 1.0;
        const double phase = (p.days - start_) * frequency;
        for (int k = 1; k <= harmonics; ++k) {
            row(groups_ + 2 * k - 2) = std::cos(kTurn * k * phase);
            row(groups_ + 2 * k - 1) = std::sin(kTurn * k * phase);
        }
    }

    std::span<const CurvePoint> points_;
    int groups_ = 1;
    double start_ = 0.0;
    double span_ = 0.0;
};

/// log10 of the chance that F with `top` (even) and `bottom` degrees of freedom is so large.
///
/// Source   Abramowitz & Stegun 1964, 26.6.4.
double chanceLog10(double f, int top, int bottom) {
    const double x = bottom / (bottom + top * f);
    double term = 1.0;
    double sum = 1.0;
    for (int i = 1; i < top / 2; ++i) {
        term *= (0.5 * bottom + i - 1.0) / i * (1.0 - x);
        sum += term;
    }
    return 0.5 * bottom * std::log10(x) + std::log10(sum);
}

struct Best {
    double frequency = 0.0;
    double chiSquare = 0.0;
};

/// Chi-square at every frequency of a range, the lowest frequency first.
std::vector<Best> scan(const Search& search, const PeriodRange& range, int harmonics) {
    const double low = 1.0 / range.longestDays;
    const double high = 1.0 / range.shortestDays;
    const double step = 1.0 / (kStepsInWidth * search.span());
    std::vector<Best> all;
    const auto steps = static_cast<int>(std::floor((high - low) / step + 1e-9));
    for (int i = 0; i <= steps; ++i) {
        const double f = low + i * step;
        all.push_back({f, search.fit(f, harmonics).chiSquare});
    }
    return all;
}

bool isBetter(const Best& a, const Best& b) {
    return a.chiSquare < b.chiSquare;
}

/// The lowest chi-square near a frequency of a scan.
Best refined(const Search& search, const PeriodRange& range, int harmonics, Best best) {
    double half = 1.0 / (kStepsInWidth * search.span());
    for (int i = 0; i < 30; ++i) {
        half *= 0.6;
        for (const double f : {best.frequency - half, best.frequency + half}) {
            const double chi = search.fit(f, harmonics).chiSquare;
            if (f >= 1.0 / range.longestDays && f <= 1.0 / range.shortestDays &&
                chi < best.chiSquare) {
                best = Best{f, chi};
            }
        }
    }
    return best;
}

/// The lowest of the hollows of a scan, the lowest first.
std::vector<Best> hollowsOf(const std::vector<Best>& all) {
    std::vector<Best> found;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if ((i == 0 || !isBetter(all[i - 1], all[i])) &&
            (i + 1 == all.size() || isBetter(all[i], all[i + 1]))) {
            found.push_back(all[i]);
        }
    }
    std::sort(found.begin(), found.end(), isBetter);
    found.resize(std::min(found.size(), kHollows));
    return found;
}

/// The other hollows of a scan that are not much higher than the best.
std::vector<double> aliasesOf(const Search& search,
                              const PeriodRange& range,
                              int harmonics,
                              const std::vector<Best>& all,
                              const Best& best,
                              double rise) {
    std::vector<Best> found;
    for (const Best& hollow : hollowsOf(all)) {
        const Best lowest = refined(search, range, harmonics, hollow);
        const double apart = std::abs(lowest.frequency - best.frequency);
        if (apart > 2.0 / (kStepsInWidth * search.span()) &&
            lowest.chiSquare < best.chiSquare + rise) {
            found.push_back(lowest);
        }
    }
    std::sort(found.begin(), found.end(), isBetter);
    std::vector<double> days;
    for (std::size_t i = 0; i < std::min(found.size(), kMostAliases); ++i) {
        days.push_back(1.0 / found[i].frequency);
    }
    return days;
}

/// How far the frequency may be off before chi-square has risen by `rise`; the mean of both sides.
double frequencyError(const Search& search, const Best& best, int harmonics, double rise) {
    double sum = 0.0;
    for (const double side : {-1.0, 1.0}) {
        double inside = 0.0;
        double outside = 1.0 / search.span();
        for (int i = 0; i < 40; ++i) {
            const double middle = 0.5 * (inside + outside);
            const bool low = search.fit(best.frequency + side * middle, harmonics).chiSquare <
                             best.chiSquare + rise;
            (low ? inside : outside) = middle;
        }
        sum += inside;
    }
    return 0.5 * sum;
}

bool isSearchable(std::span<const CurvePoint> points, const PeriodRange& range) {
    return points.size() >= kLeastPoints && range.shortestDays > 0.0 &&
           range.longestDays >= range.shortestDays && Search(points).span() > 0.0;
}

} // namespace

std::vector<TrialPeriod>
periodogram(std::span<const CurvePoint> points, const PeriodRange& range, int harmonics) {
    if (!isSearchable(points, range)) {
        return {};
    }
    const Search search(points);
    const double flat = search.fit(0.0, 0).chiSquare;
    std::vector<TrialPeriod> trials;
    for (const Best& one : scan(search, range, harmonics)) {
        trials.push_back({1.0 / one.frequency, 1.0 - one.chiSquare / flat});
    }
    return trials;
}

std::vector<double>
foldedCurve(std::span<const CurvePoint> points, double days, int harmonics, int steps) {
    const Search search(points);
    const Curve curve = search.fit(1.0 / days, harmonics);
    std::vector<double> light;
    light.reserve(static_cast<std::size_t>(steps));
    for (int i = 0; i < steps; ++i) {
        light.push_back(
            Search::at(curve, search.levels(), harmonics, static_cast<double>(i) / steps));
    }
    return light;
}

PeriodRange usualRange(std::span<const CurvePoint> points) {
    std::vector<double> times;
    for (const CurvePoint& p : points) {
        times.push_back(p.days);
    }
    std::sort(times.begin(), times.end());
    std::vector<double> steps;
    for (std::size_t i = 1; i < times.size(); ++i) {
        steps.push_back(times[i] - times[i - 1]);
    }
    if (steps.empty()) {
        return {};
    }
    return {4.0 * medianInPlace(std::span(steps)), times.back() - times.front()};
}

std::optional<Period> findPeriod(std::span<const CurvePoint> points, const PeriodRange& range) {
    if (!isSearchable(points, range)) {
        return std::nullopt;
    }
    const Search search(points);
    const auto n = static_cast<double>(points.size());
    std::optional<Best> best;
    std::vector<Best> bestScan;
    int harmonics = 0;
    double bestScore = 0.0;
    for (int k = 2; k <= kMostHarmonics; ++k) {
        const double freedom = n - search.levels() - 2.0 * k - 1.0;
        if (freedom < 4.0) {
            break;
        }
        auto all = scan(search, range, k);
        if (all.empty()) {
            return std::nullopt;
        }
        const Best found =
            refined(search, range, k, *std::min_element(all.begin(), all.end(), isBetter));
        // Schwarz's criterion with the scatter that the curve itself leaves.
        const double score = n * std::log(found.chiSquare / n) + 2.0 * k * std::log(n);
        if (!best || score < bestScore) {
            best = found;
            bestScan = std::move(all);
            bestScore = score;
            harmonics = k;
        }
    }
    if (!best) {
        return std::nullopt;
    }
    const double freedom = n - search.levels() - 2.0 * harmonics - 1.0;
    const double reduced = best->chiSquare / freedom;
    const double flat = search.fit(0.0, 0).chiSquare;
    const double gain = (flat - best->chiSquare) / (2.0 * harmonics);
    if (!(gain > 0.0)) {
        return std::nullopt;
    }
    Period period;
    period.days = 1.0 / best->frequency;
    period.harmonics = harmonics;
    period.chiSquare = reduced;
    period.aliasDays =
        aliasesOf(search, range, harmonics, bestScan, *best, kAliasRise * std::max(1.0, reduced));
    period.error = period.days * period.days *
                   frequencyError(search, *best, harmonics, std::max(1.0, reduced));
    const double apart =
        std::max(1.0, search.span() * (1.0 / range.shortestDays - 1.0 / range.longestDays));
    period.falseAlarmLog10 = std::min(
        0.0,
        chanceLog10(gain / reduced, 2 * harmonics, static_cast<int>(freedom)) + std::log10(apart));
    const Curve curve = search.fit(best->frequency, harmonics);
    double faintest = -1e9;
    double brightest = 1e9;
    for (int i = 0; i < 360; ++i) {
        const double mag = Search::at(curve, search.levels(), harmonics, i / 360.0);
        faintest = std::max(faintest, mag);
        brightest = std::min(brightest, mag);
    }
    period.amplitude = faintest - brightest;
    const Eigen::MatrixXd covariance = inverseOfSymmetric(curve.covariance);
    // Either extreme is known as well as the coefficients are together.
    period.amplitudeError =
        std::sqrt(2.0 * std::max(1.0, reduced) * covariance.diagonal().tail(2 * harmonics).sum());
    return period;
}

} // namespace pathmark::measure
