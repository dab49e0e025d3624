#include "core/solve/hand_fit.h"

#include "core/solve/common_shift.h"
#include "core/solve/fit_steps.h"
#include "core/solve/source_scoring.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace pathmark::solve {
namespace {

constexpr double kTurnReach = 3.0; // degrees
constexpr double kTurnStep = 0.5;
constexpr double kScaleReach = 0.04;
constexpr double kScaleStep = 0.005;
/// How far the stars may be from their sources, of the diagonal. A careful hand is near, and where few sources are stars only
/// a near one can be told from chance.
constexpr std::array<double, 3> kShiftReaches{0.008, 0.02, 0.05};
constexpr std::size_t kBright = 60;
constexpr std::size_t kFewestSeen =
    20; // sources that stars may coincide with, where only few stars are shown
constexpr double kFewestStars = 300.0; // that the frame is tried with, where the catalogue has them

/// Pixels after a linear change M about a fixed one.
frame::Wcs changed(const frame::Wcs& wcs, const std::array<double, 4>& m, frame::PixelPos about) {
    frame::Wcs result;
    result.referenceSky = wcs.referenceSky;
    const double dx = wcs.referencePixel.x - about.x;
    const double dy = wcs.referencePixel.y - about.y;
    result.referencePixel = {about.x + m[0] * dx + m[1] * dy, about.y + m[2] * dx + m[3] * dy};
    const double determinant = m[0] * m[3] - m[1] * m[2];
    const std::array<double, 4> inverse{
        m[3] / determinant, -m[1] / determinant, -m[2] / determinant, m[0] / determinant};
    result.cd = {wcs.cd[0] * inverse[0] + wcs.cd[1] * inverse[2],
                 wcs.cd[0] * inverse[1] + wcs.cd[1] * inverse[3],
                 wcs.cd[2] * inverse[0] + wcs.cd[3] * inverse[2],
                 wcs.cd[2] * inverse[1] + wcs.cd[3] * inverse[3]};
    return result;
}

/// Places from the middle of the frame.
Place fromMiddle(frame::PixelPos pixel, FrameSize size) {
    return {pixel.x - size.middle().x, pixel.y - size.middle().y};
}

/// The best of the hand's neighbours: turn and scale on a lattice, the shift by votes.
struct BestLay {
    Place factor{1.0, 0.0};
    Place shift;
    int onStars = 0;
    double tried = 0.0;
};

/// Sources within `reach` of a star once the stars are turned, drawn apart and shifted.
int countOnStars(std::span<const Place> sources,
                 std::span<const Place> stars,
                 Place shift,
                 double reach) {
    return static_cast<int>(std::count_if(sources.begin(), sources.end(), [&](Place source) {
        return std::any_of(stars.begin(), stars.end(), [&](Place star) {
            return std::norm(star - shift - source) < reach * reach;
        });
    }));
}

/// What the fit may do to the lay besides: two ways of shear and the lens's cubic, about five that differ of each, log10.
constexpr double kBendsLog10 = 2.1;

/// Half a step of turn or scale moves a star at the corner by this much.
double layReach(double diagonal) {
    return std::max(4.0, 0.3 * diagonal * kTurnStep * kRadiansPerDegree);
}

BestLay bestLay(std::span<const Place> sources,
                std::span<const Place> stars,
                double diagonal,
                double most) {
    BestLay best;
    std::vector<Place> changedStars(stars.size());
    const int turns = static_cast<int>(kTurnReach / kTurnStep);
    const int scales = static_cast<int>(kScaleReach / kScaleStep);
    const double reach = layReach(diagonal);
    for (int i = -turns; i <= turns; ++i) {
        for (int j = -scales; j <= scales; ++j) {
            const Place factor =
                std::polar(1.0 + j * kScaleStep, i * kTurnStep * kRadiansPerDegree);
            std::transform(stars.begin(), stars.end(), changedStars.begin(), [&](Place star) {
                return factor * star;
            });
            const auto shift = commonShift(sources, changedStars, most);
            best.tried += shift ? shift->possible : 1.0;
            if (!shift) {
                continue;
            }
            const int onStars = countOnStars(sources, changedStars, shift->offset, reach);
            if (onStars > best.onStars) {
                best = {factor, shift->offset, onStars, best.tried};
            }
        }
    }
    return best;
}

} // namespace

frame::Wcs moved(const frame::Wcs& wcs, frame::PixelPos from, frame::PixelPos to) {
    frame::Wcs result = changed(wcs, {1.0, 0.0, 0.0, 1.0}, from);
    result.referencePixel.x += to.x - from.x;
    result.referencePixel.y += to.y - from.y;
    return result;
}

frame::Wcs turned(const frame::Wcs& wcs, Angle angle, frame::PixelPos about) {
    const double c = std::cos(angle.radians());
    const double s = std::sin(angle.radians());
    return changed(wcs, {c, -s, s, c}, about);
}

frame::Wcs scaled(const frame::Wcs& wcs, double factor, frame::PixelPos about) {
    return changed(wcs, {factor, 0.0, 0.0, factor}, about);
}

frame::Wcs flipped(const frame::Wcs& wcs, frame::PixelPos about) {
    return changed(wcs, {-1.0, 0.0, 0.0, 1.0}, about);
}

Coincidence coincide(const detect::Detection& detection,
                     std::span<const catalog::Star> field,
                     const frame::Wcs& wcs,
                     FrameSize size,
                     double radiusPixels) {
    Coincidence result;
    result.coincides.assign(field.size(), false);
    const PlacedStars placed(field, wcs, size, 0.0);
    result.shown = static_cast<int>(placed.count());
    double squares = 0.0;
    // Against all sources of a rich frame many stars would coincide anyway.
    const auto sources = starlike(detection);
    const auto bright = std::min(sources.size(), kFewestSeen + 3 * placed.count());
    for (const std::size_t index : std::span(sources).first(bright)) {
        const detect::Source& source = detection.sources[index];
        std::optional<std::size_t> nearest;
        double least = radiusPixels * radiusPixels;
        placed.forNear({source.x, source.y}, radiusPixels, [&](std::size_t star, double square) {
            if (square < least && !result.coincides[placed.star(star)]) {
                least = square;
                nearest = star;
            }
        });
        if (nearest) {
            result.coincides[placed.star(*nearest)] = true;
            ++result.stars;
            squares += least;
        }
    }
    result.rmsPixels = result.stars > 0 ? std::sqrt(0.5 * squares / result.stars) : 0.0;
    return result;
}

namespace {

/// Everything a lock works with.
struct Lock {
    const detect::Detection& detection;
    FrameSize size;
    std::vector<std::size_t> starlike;
    std::vector<catalog::Star> field;
    std::size_t shown = 0; ///< stars of the field that the hand saw
    std::vector<Place> bright;
    double diagonal = 0.0;

    [[nodiscard]] std::vector<Place> starsBy(const frame::Wcs& wcs, double margin) const {
        std::vector<Place> stars;
        for (const catalog::Star& star : std::span(field).first(shown)) {
            const auto pixel = wcs.toPixel(star.place);
            if (pixel && pixel->x > -margin && pixel->y > -margin &&
                pixel->x < size.width + margin && pixel->y < size.height + margin) {
                stars.push_back(fromMiddle(*pixel, size));
            }
        }
        return stars;
    }

    /// A fit from the best lay with the stars up to `most` pixels from where the hand put them.
    [[nodiscard]] std::optional<Solution> from(const frame::Wcs& byHand, double most) const {
        const frame::PixelPos middle = size.middle();
        const BestLay lay = bestLay(bright, starsBy(byHand, most), diagonal, most);
        frame::Wcs nearly = turned(byHand, Angle::radians(std::arg(lay.factor)), middle);
        nearly = scaled(nearly, std::abs(lay.factor), middle);
        nearly = moved(nearly, {lay.shift.real(), lay.shift.imag()}, {0.0, 0.0});
        auto solution = fitInSteps(detection, starlike, field, nearly, size, layReach(diagonal));
        if (!solution) {
            return std::nullopt;
        }
        complete(*solution, detection, field, size);
        solution->foundBy = FoundBy::Hand;
        solution->falseAlarmLog10 =
            kBendsLog10 + chanceOfShift(bright, starsBy(solution->wcs, 0.0), {}, size, lay.tried);
        return *std::move(solution);
    }
};

} // namespace

Result<Solution> lockHandFit(const detect::Detection& detection,
                             FrameSize size,
                             const Utc& date,
                             const frame::Wcs& byHand,
                             double faintestG,
                             const catalog::StarStore& store) {
    Lock lock{detection, size, starlike(detection), {}, 0, {}, size.diagonal()};
    const double scale = byHand.scaleArcsec();
    auto field =
        store.brightest(byHand.toSky(size.middle()),
                        Angle::arcsec((0.55 + kShiftReaches.back()) * lock.diagonal * scale),
                        date,
                        std::max(3.0 * static_cast<double>(lock.starlike.size()), kFewestStars) /
                            size.squareDegrees(scale));
    if (!field) {
        return fail(field.error());
    }
    lock.field = std::move(*field);
    lock.shown = static_cast<std::size_t>(std::count_if(
        lock.field.begin(), lock.field.end(), [&](const auto& s) { return s.magG <= faintestG; }));
    for (const std::size_t i :
         std::span(lock.starlike).first(std::min(kBright, lock.starlike.size()))) {
        lock.bright.push_back(fromMiddle({detection.sources[i].x, detection.sources[i].y}, size));
    }
    std::optional<Solution> best;
    for (const double reach : kShiftReaches) {
        auto solution = lock.from(byHand, reach * lock.diagonal);
        if (solution && (!best || solution->falseAlarmLog10 < best->falseAlarmLog10)) {
            best = std::move(solution);
        }
    }
    if (!best) {
        return fail(ErrorId::SolveNoMatch,
                    fmt::format("Too few of the {} brightest sources come to lie on stars around "
                                "this fit. Bring the stars closer to the sources, or show fainter "
                                "or fewer stars.",
                                lock.bright.size()));
    }
    return *std::move(best);
}

} // namespace pathmark::solve
