#include "core/measure/ensemble.h"

#include "core/base/robust.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::measure {
namespace {

constexpr int kRounds = 8;
constexpr std::size_t kLeastStars = 5;
constexpr std::size_t kSlopeStars = 10;
constexpr double kMostError = 0.05;    ///< magnitudes of a comparison star
constexpr double kLeastPresence = 0.8; ///< of the frames
constexpr double kMostChiSquare = 3.0; ///< of a comparison star
constexpr double kClip = 4.0;          ///< sigma, of a star in a frame
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

/// A weighted straight line.
struct LineSums {
    double s = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;

    void add(double x, double y, double w) {
        s += w;
        sx += w * x;
        sy += w * y;
        sxx += w * x * x;
        sxy += w * x * y;
    }

    [[nodiscard]] double slope() const {
        const double determinant = s * sxx - sx * sx;
        return determinant > 1e-9 * s * s ? (s * sxy - sx * sy) / determinant : 0.0;
    }

    [[nodiscard]] double constant(double slope) const { return (sy - slope * sx) / s; }

    /// Of the constant where the slope is fitted along.
    [[nodiscard]] double error(bool withSlope) const {
        const double determinant = s * sxx - sx * sx;
        return withSlope && determinant > 1e-9 * s * s ? std::sqrt(sxx / determinant)
                                                       : 1.0 / std::sqrt(s);
    }
};

class Fitter {
  public:
    Fitter(std::span<const SeriesStar> stars, std::size_t frames, double reference)
        : stars_(stars), hasChosen_(std::any_of(stars.begin(), stars.end(), [](const auto& star) {
              return star.isChosen && isMeasured(star);
          })) {
        result_.referenceColour = reference;
        result_.frames.resize(frames);
        result_.stars.resize(stars.size());
        for (std::size_t s = 0; s < stars.size(); ++s) {
            result_.stars[s].mag = stars[s].catalogueMag;
            result_.stars[s].used = mayServe(stars[s]);
        }
        keepSome();
    }

    Ensemble fit() {
        for (int round = 0; round < kRounds; ++round) {
            fitFrames();
            meanStars();
            holdToCatalogue();
            setFloor();
            judge();
            if (round + 2 < kRounds) {
                choose();
            }
        }
        return std::move(result_);
    }

  private:
    [[nodiscard]] static bool isMeasured(const SeriesStar& star) {
        return std::any_of(
            star.mags.begin(), star.mags.end(), [](double m) { return std::isfinite(m); });
    }

    [[nodiscard]] bool mayServe(const SeriesStar& star) const {
        if (hasChosen_) {
            return star.isChosen && isMeasured(star);
        }
        std::vector<double> errors;
        for (std::size_t f = 0; f < star.mags.size(); ++f) {
            if (std::isfinite(star.mags[f])) {
                errors.push_back(star.errors[f]);
            }
        }
        const double looking =
            star.frames > 0 ? star.frames : static_cast<double>(star.mags.size());
        return star.isFit && static_cast<double>(errors.size()) >= kLeastPresence * looking &&
               !errors.empty() && medianInPlace(std::span(errors)) < kMostError;
    }

    /// Where hardly a star is fit, the others that were measured serve.
    void keepSome() {
        const auto used = std::count_if(
            result_.stars.begin(), result_.stars.end(), [](const auto& s) { return s.used; });
        if (hasChosen_ || used >= static_cast<long>(kLeastStars)) {
            return;
        }
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            result_.stars[s].used = isMeasured(stars_[s]);
        }
    }

    [[nodiscard]] double colourOf(std::size_t s) const {
        const double colour = stars_[s].colour - result_.referenceColour;
        return std::isfinite(colour) ? colour : 0.0;
    }

    [[nodiscard]] double sigmaAt(std::size_t s, std::size_t f) const {
        return std::hypot(stars_[s].errors[f], std::max(result_.floor, 1e-3));
    }

    void fitFrames() {
        for (std::size_t f = 0; f < result_.frames.size(); ++f) {
            FrameZero& zero = result_.frames[f];
            double reach = 1e9;
            for (int clip = 0; clip < 3; ++clip) {
                LineSums sums;
                int count = 0;
                for (std::size_t s = 0; s < stars_.size(); ++s) {
                    const double m = stars_[s].mags[f];
                    if (!result_.stars[s].used || !std::isfinite(m)) {
                        continue;
                    }
                    const double y = result_.stars[s].mag - m;
                    const double sigma = sigmaAt(s, f);
                    const double off = y - zero.zeroPoint - zero.colourSlope * colourOf(s);
                    if (std::abs(off) <= reach * sigma) {
                        sums.add(colourOf(s), y, 1.0 / (sigma * sigma));
                        ++count;
                    }
                }
                zero.stars = count;
                if (count == 0) {
                    zero.zeroPoint = kNone;
                    break;
                }
                const bool withSlope = static_cast<std::size_t>(count) >= kSlopeStars;
                zero.colourSlope = withSlope ? sums.slope() : 0.0;
                zero.zeroPoint = sums.constant(zero.colourSlope);
                zero.error = sums.error(withSlope);
                reach = kClip;
            }
        }
    }

    void meanStars() {
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            double sum = 0.0;
            double weights = 0.0;
            for (std::size_t f = 0; f < result_.frames.size(); ++f) {
                const double m = result_.magnitude(f, stars_[s].mags[f], stars_[s].colour);
                if (std::isfinite(m)) {
                    const double w = 1.0 / std::pow(sigmaAt(s, f), 2);
                    sum += w * m;
                    weights += w;
                }
            }
            result_.stars[s].mag = weights > 0.0 ? sum / weights : kNone;
        }
    }

    /// Means may drift together, and along colour, without any frame minding: the catalogue holds them.
    void holdToCatalogue() {
        double reach = 1e9;
        double constant = 0.0;
        double slope = 0.0;
        for (int clip = 0; clip < 3; ++clip) {
            LineSums sums;
            std::vector<double> off;
            for (std::size_t s = 0; s < stars_.size(); ++s) {
                const StarScatter& star = result_.stars[s];
                if (!star.used || !std::isfinite(star.mag)) {
                    continue;
                }
                const double y = star.mag - stars_[s].catalogueMag;
                const double rest = y - constant - slope * colourOf(s);
                if (std::abs(rest) <= reach) {
                    sums.add(colourOf(s), y, 1.0);
                    off.push_back(std::abs(rest));
                }
            }
            if (off.size() < 2) {
                break;
            }
            slope = off.size() >= kSlopeStars ? sums.slope() : 0.0;
            constant = sums.constant(slope);
            reach = 3.0 * 1.4826 * std::max(1e-3, medianInPlace(std::span(off)));
        }
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            result_.stars[s].mag -= constant + slope * colourOf(s);
        }
        for (FrameZero& zero : result_.frames) {
            zero.zeroPoint -= constant;
            zero.colourSlope -= slope;
        }
    }

    void setFloor() {
        std::vector<double> excess;
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            if (!result_.stars[s].used) {
                continue;
            }
            double squares = 0.0;
            double noise = 0.0;
            int count = 0;
            for (std::size_t f = 0; f < result_.frames.size(); ++f) {
                const double m = result_.magnitude(f, stars_[s].mags[f], stars_[s].colour);
                if (std::isfinite(m)) {
                    squares += std::pow(m - result_.stars[s].mag, 2);
                    noise += std::pow(stars_[s].errors[f], 2);
                    ++count;
                }
            }
            if (count > 2) {
                excess.push_back(squares / (count - 1.0) - noise / count);
            }
        }
        result_.floor =
            excess.empty() ? 0.0 : std::sqrt(std::max(0.0, medianInPlace(std::span(excess))));
    }

    void judge() {
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            StarScatter& star = result_.stars[s];
            double chi = 0.0;
            double worst = 0.0;
            double squares = 0.0;
            double expected = 0.0;
            star.points = 0;
            for (std::size_t f = 0; f < result_.frames.size(); ++f) {
                const double m = result_.magnitude(f, stars_[s].mags[f], stars_[s].colour);
                if (!std::isfinite(m)) {
                    continue;
                }
                const double sigma =
                    std::hypot(stars_[s].errors[f], result_.floor, result_.frames[f].error);
                const double term = std::pow((m - star.mag) / sigma, 2);
                chi += term;
                worst = std::max(worst, term);
                squares += std::pow(m - star.mag, 2);
                expected += sigma * sigma;
                ++star.points;
            }
            if (star.points < 2) {
                continue;
            }
            const double freedom = star.points - 1.0;
            star.chiSquare = chi / freedom;
            star.chiSquareWithoutWorst = freedom > 1.0 ? (chi - worst) / (freedom - 1.0) : 0.0;
            star.rms = std::sqrt(squares / freedom);
            star.expectedRms = std::sqrt(expected / star.points);
        }
    }

    void choose() {
        if (hasChosen_) {
            return;
        }
        std::vector<std::pair<double, std::size_t>> kept;
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            if (mayServe(stars_[s]) && result_.stars[s].points > 1) {
                kept.emplace_back(result_.stars[s].chiSquare, s);
            }
        }
        if (kept.size() < kLeastStars) {
            return;
        }
        std::sort(kept.begin(), kept.end());
        std::vector<char> used(stars_.size(), 0);
        for (std::size_t k = 0; k < kept.size(); ++k) {
            used[kept[k].second] = kept[k].first < kMostChiSquare || k < kLeastStars ? 1 : 0;
        }
        for (std::size_t s = 0; s < stars_.size(); ++s) {
            result_.stars[s].used = used[s] != 0;
        }
    }

    std::span<const SeriesStar> stars_;
    bool hasChosen_;
    Ensemble result_;
};

} // namespace

double Ensemble::magnitude(std::size_t frame, double instrumental, double colour) const {
    const FrameZero& zero = frames[frame];
    const double off = colour - referenceColour;
    return instrumental + zero.zeroPoint + zero.colourSlope * (std::isfinite(off) ? off : 0.0);
}

Ensemble
fitEnsemble(std::span<const SeriesStar> stars, std::size_t frames, double referenceColour) {
    return Fitter(stars, frames, referenceColour).fit();
}

} // namespace pathmark::measure
