#include "core/detect/learn_shape.h"

#include "core/base/linear.h"
#include "core/base/robust.h"
#include "core/detect/shape_fit.h"
#include "core/detect/star_form.h"
#include "core/detect/trail.h"
#include "core/detect/without_stars.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::detect {
namespace {

constexpr std::size_t kMostStars = 80;
constexpr int kCells = 5;      // along an axis of the frame
constexpr int kMostInCell = 6; // so that one crowded corner does not speak for all

/// What a star must be to tell the shape.
struct Demand {
    float snr;
    double apart; ///< widths free of others
    float others; ///< share of its signal-to-noise that another one there may have
};

/// Where a field has few such stars, fainter ones must do; where it is crowded, those with fainter ones beside them.
constexpr std::array<Demand, 4> kDemands{
    {{15.0F, 5.0, 0.03F}, {8.0F, 5.0, 0.03F}, {15.0F, 3.0, 0.1F}, {15.0F, 2.2, 0.25F}}};
constexpr std::size_t kFew = 6;
constexpr double kNoStar = 8.0;         // times the typical misfit
constexpr double kNarrowest = 0.5;      // of the width by moments that a shape may have
constexpr double kDrawnFrom = 1.12;     // elongation that may be a short trail
constexpr double kClearlyBetter = 0.97; // of the ellipse's misfit

/// True where a pixel within `radius` is saturated or missing.
bool isSpoiled(const frame::Image& image, int x, int y, int radius, std::optional<double> level) {
    const float ceiling = static_cast<float>(level.value_or(1e30));
    for (int j = -radius; j <= radius; ++j) {
        for (int i = -radius; i <= radius; ++i) {
            if (!image.contains(x + i, y + j) || !(image.at(x + i, y + j) < ceiling)) {
                return true;
            }
        }
    }
    return false;
}

/// Light in hardly more than one pixel: a hit or a hot pixel.
bool isSpike(const StarWindow& window) {
    const float peak = window.data()[window.index(0, 0)];
    const float beside =
        0.25F * (window.data()[window.index(1, 0)] + window.data()[window.index(-1, 0)] +
                 window.data()[window.index(0, 1)] + window.data()[window.index(0, -1)]);
    return beside < 0.12F * peak;
}

/// Peaks that meet a demand, spread over the frame.
std::vector<Peak> starsFor(const Demand& demand,
                           const frame::Image& image,
                           std::span<const Peak> peaks,
                           const ShapeOptions& options) {
    std::vector<Peak> chosen;
    std::array<int, static_cast<std::size_t>(kCells * kCells)> inCell{};
    const double apart = demand.apart * options.firstFwhm;
    for (const Peak& peak : peaks) {
        if (chosen.size() >= kMostStars || peak.snr < demand.snr) {
            break;
        }
        auto& count = inCell[static_cast<std::size_t>(peak.y * kCells / image.height() * kCells +
                                                      peak.x * kCells / image.width())];
        const bool alone =
            count < kMostInCell && std::none_of(peaks.begin(), peaks.end(), [&](const Peak& other) {
                const double dx = other.x - peak.x;
                const double dy = other.y - peak.y;
                const double square = dx * dx + dy * dy;
                return square > 0.0 && square < apart * apart &&
                       other.snr > demand.others * peak.snr;
            });
        if (alone && !isSpoiled(image, peak.x, peak.y, 4, options.saturation)) {
            chosen.push_back(peak);
            ++count;
        }
    }
    return chosen;
}

std::vector<Peak>
chooseStars(const frame::Image& image, std::span<const Peak> peaks, const ShapeOptions& options) {
    std::vector<Peak> chosen;
    for (const Demand& demand : kDemands) {
        auto stars = starsFor(demand, image, peaks, options);
        if (stars.size() > chosen.size()) {
            chosen = std::move(stars);
        }
        if (chosen.size() >= kFew) {
            break;
        }
    }
    return chosen;
}

std::vector<ShapeStar> makeStars(const frame::Image& image,
                                 const Background& sky,
                                 std::span<const Peak> peaks,
                                 int half,
                                 std::optional<double> saturation) {
    std::vector<ShapeStar> stars;
    for (const Peak& peak : peaks) {
        ShapeStar star;
        star.cx = peak.x;
        star.cy = peak.y;
        star.x = peak.x;
        star.y = peak.y;
        star.window = StarWindow(half);
        star.window.take(image, sky, peak.x, peak.y, saturation);
        if (!isSpike(star.window) && star.window.used() > 20) {
            stars.push_back(std::move(star));
        }
    }
    return stars;
}

/// The stars' typical width by their moments, the window following.
double typicalFwhm(const std::vector<ShapeStar>& stars, double first) {
    double fwhm = first;
    for (int round = 0; round < 3; ++round) {
        std::vector<double> widths;
        widths.reserve(stars.size());
        for (const ShapeStar& star : stars) {
            widths.push_back(measureForm(star.window, 0.0, 0.0, fwhm).fwhm);
        }
        fwhm = std::clamp(medianInPlace(std::span(widths)), 1.0, 40.0);
    }
    return fwhm;
}

void startFluxes(std::vector<ShapeStar>& stars, const TrialShape& shape) {
    const PointSpreadField spread(shape.field());
    const double peak = spread.middle().at(0.0, 0.0).value;
    for (ShapeStar& star : stars) {
        star.flux =
            std::max(1.0, static_cast<double>(star.window.data()[star.window.index(0, 0)]) / peak);
    }
}

/// Steps until settled; stars that fit much worse than the others are left out on the way. The median misfit at the end.
double settle(TrialShape& shape, std::vector<ShapeStar>& stars) {
    double typical = 0.0;
    for (int round = 0; round < 14; ++round) {
        const Eigen::Vector4d before = shape.numbers;
        stepShape(shape, stars);
        std::vector<double> misfits;
        for (const ShapeStar& star : stars) {
            if (star.used) {
                misfits.push_back(star.misfit);
            }
        }
        if (misfits.size() < 3) {
            return 1e30;
        }
        typical = medianInPlace(std::span(misfits));
        if (round < 3) {
            // What is no star at all, a comet or a galaxy, must not lead the first steps.
            for (ShapeStar& star : stars) {
                star.used = star.used && star.misfit < kNoStar * std::max(1.0, typical);
            }
        } else if (round == 3 || round == 5) {
            for (ShapeStar& star : stars) {
                star.used = star.used && star.misfit < 1.5 * std::max(1.0, typical) + 1.0;
            }
        } else if (round > 3 && (shape.numbers - before).cwiseAbs().maxCoeff() < 1e-3) {
            break;
        }
    }
    return typical;
}

std::size_t usedCount(const std::vector<ShapeStar>& stars) {
    return static_cast<std::size_t>(
        std::count_if(stars.begin(), stars.end(), [](const ShapeStar& s) { return s.used; }));
}

/// A star's own size and shears less the common ones.
struct Departure {
    std::array<double, 5> power{};
    Eigen::Vector3d value;
    Eigen::Matrix3d weight;
};

using Terms = Eigen::Matrix<double, Eigen::Dynamic, 1>;

/// Weighted polynomial through the departures; 1 + degree terms for each of the three numbers.
Terms fitTerms(const std::vector<Departure>& all, int terms, int leftOut) {
    const Eigen::Index n = 3 * (terms + 1);
    Eigen::MatrixXd normal = Eigen::MatrixXd::Identity(n, n) * 1e-9;
    Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (leftOut >= 0 && static_cast<int>(i % 5) == leftOut) {
            continue;
        }
        const auto factor = [&](int term) {
            return term == 0 ? 1.0 : all[i].power[static_cast<std::size_t>(term - 1)];
        };
        const Eigen::Vector3d weighted = all[i].weight * all[i].value;
        for (int a = 0; a <= terms; ++a) {
            right.segment<3>(3 * a) += factor(a) * weighted;
            for (int b = 0; b <= terms; ++b) {
                normal.block<3, 3>(3 * a, 3 * b) += factor(a) * factor(b) * all[i].weight;
            }
        }
    }
    return solveSymmetric(normal, right);
}

double predictionError(const std::vector<Departure>& all, int terms) {
    double sum = 0.0;
    for (int fold = 0; fold < 5; ++fold) {
        const Terms fitted = fitTerms(all, terms, fold);
        for (std::size_t i = static_cast<std::size_t>(fold); i < all.size(); i += 5) {
            Eigen::Vector3d off = all[i].value - fitted.head<3>();
            for (int t = 0; t < terms; ++t) {
                off -= all[i].power[static_cast<std::size_t>(t)] * fitted.segment<3>(3 * (t + 1));
            }
            // One odd star must not decide.
            sum += std::min(30.0, off.dot(all[i].weight * off));
        }
    }
    return sum;
}

/// Polynomials of the place where they predict left-out stars better than the constant.
void followField(FieldShape& field, const std::vector<ShapeStar>& stars) {
    std::vector<Departure> all;
    for (const ShapeStar& star : stars) {
        if (!star.used) {
            continue;
        }
        Departure one;
        const double u = 2.0 * (star.x + 0.5) / field.width - 1.0;
        const double v = 2.0 * (star.y + 0.5) / field.height - 1.0;
        one.power = {u, v, u * u, u * v, v * v};
        const Eigen::Matrix3d information = star.information.topLeftCorner<3, 3>();
        one.value = information.ldlt().solve(star.pull.head<3>());
        // Beyond 1 % the profile's own imperfection hides what a star says.
        one.weight = (information.inverse() + 1e-4 * Eigen::Matrix3d::Identity()).inverse();
        if (one.value.allFinite() && one.weight.allFinite() && one.value.norm() < 1.0) {
            all.push_back(one);
        }
    }
    if (all.size() < 15) {
        return;
    }
    int best = 0;
    double least = predictionError(all, 0);
    for (const int terms : {2, 5}) {
        const double error = predictionError(all, terms);
        if (error < 0.85 * least) {
            least = error;
            best = terms;
        }
    }
    if (best == 0) {
        return;
    }
    const Terms fitted = fitTerms(all, best, -1);
    field.middle.logSize += fitted[0];
    field.middle.g1 += fitted[1];
    field.middle.g2 += fitted[2];
    for (int t = 0; t < best; ++t) {
        for (int k = 0; k < 3; ++k) {
            field.terms[static_cast<std::size_t>(k)][static_cast<std::size_t>(t)] =
                fitted[3 * (t + 1) + k];
        }
    }
}

/// The logarithm of a Moffat's core radius for a width and the beta one starts from.
double logSizeFor(double fwhm, double logBeta) {
    return MoffatForm::of(Moffat::round(fwhm, 1.0 + std::exp(logBeta))).logSize;
}

/// The shape with the stars smeared along a common trail.
std::optional<FieldShape> learnTrail(const frame::Image& image,
                                     const Background& sky,
                                     std::span<const Peak> peaks,
                                     const ShapeOptions& options) {
    const auto trail = findCommonTrail(image, sky, peaks);
    if (!trail) {
        return std::nullopt;
    }
    const double length = std::hypot(trail->x, trail->y);
    const int half = static_cast<int>(std::ceil(1.5 * trail->fwhm + 0.6 * length)) + 1;
    std::vector<Peak> good;
    for (const Peak& peak : trail->middles) {
        if (good.size() < 30 && !isSpoiled(image, peak.x, peak.y, half / 2, options.saturation)) {
            good.push_back(peak);
        }
    }
    auto stars = makeStars(image, sky, good, half, options.saturation);
    if (stars.size() < 3) {
        return std::nullopt;
    }
    TrialShape shape{ShapeKind::Trail, {logSizeFor(trail->fwhm, 0.7), trail->x, trail->y, 0.7}};
    startFluxes(stars, shape);
    if (settle(shape, stars) > 1e29 || usedCount(stars) < 3 ||
        shape.field().middle.profile().fwhm() < 0.4 * trail->fwhm) {
        return std::nullopt;
    }
    return shape.field();
}

/// A round profile drawn out by a short trail, where that fits the same stars better than the ellipse that was found.
std::optional<FieldShape>
drawnOutShape(const TrialShape& ellipse, double misfit, std::vector<ShapeStar> stars) {
    const auto drawn = drawnOut(ellipse.field().middle.profile());
    if (!drawn || ellipse.field().middle.profile().elongation() < kDrawnFrom) {
        return std::nullopt;
    }
    TrialShape shape{ShapeKind::Trail,
                     {logSizeFor(drawn->core.fwhm(), 0.7), drawn->trailX, drawn->trailY, 0.7}};
    const auto before = static_cast<double>(usedCount(stars));
    for (ShapeStar& star : stars) {
        star.used = true;
    }
    // A profile that shrinks to a line has left most of its stars.
    const bool isBetter = settle(shape, stars) < kClearlyBetter * misfit;
    const FieldShape field = shape.field();
    if (!isBetter || static_cast<double>(usedCount(stars)) < std::max(3.0, 0.7 * before) ||
        field.middle.profile().fwhm() < 0.6 * drawn->core.fwhm()) {
        return std::nullopt;
    }
    return field;
}

} // namespace

Result<FieldShape> learnShape(const frame::Image& image,
                              const Background& sky,
                              std::span<const Peak> peaks,
                              const ShapeOptions& options) {
    FieldShape field;
    const auto chosen = chooseStars(image, peaks, options);
    auto stars = makeStars(image,
                           sky,
                           chosen,
                           static_cast<int>(std::ceil(2.2 * options.firstFwhm)),
                           options.saturation);
    bool learned = false;
    if (stars.size() >= 3) {
        const double fwhm = typicalFwhm(stars, options.firstFwhm);
        const int half = std::max(3, static_cast<int>(std::ceil(2.2 * fwhm)));
        stars = makeStars(image, sky, chosen, half, options.saturation);
        TrialShape shape{ShapeKind::Ellipse, {logSizeFor(fwhm, 0.7), 0.0, 0.0, 0.7}};
        startFluxes(stars, shape);
        const double misfit = stars.size() >= 3 ? settle(shape, stars) : 1e30;
        learned = misfit < 1e29 && shape.field().middle.profile().fwhm() > kNarrowest * fwhm;
        field = shape.field();
        if (const auto drawn = learned ? drawnOutShape(shape, misfit, stars) : std::nullopt) {
            field = *drawn;
            stars.clear();
        }
    }
    // Stars drawn out alike leave no one star alone, or a shape that no lens makes.
    if (!learned || field.middle.profile().elongation() > 1.6) {
        if (auto trailed = learnTrail(image, sky, peaks, options)) {
            field = *trailed;
            learned = true;
            stars.clear();
        }
    }
    if (!learned) {
        return fail(ErrorId::DetectNoSources, withoutStars(image, options.saturation));
    }
    field.width = image.width();
    field.height = image.height();
    followField(field, stars);
    return field;
}

} // namespace pathmark::detect
