#include "core/solve/solve_frame.h"

#include "core/base/names.h"
#include "core/base/robust.h"
#include "core/solve/common_shift.h"
#include "core/solve/fit_steps.h"
#include "core/solve/pattern_search.h"
#include "core/solve/source_scoring.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::solve {
namespace {

using catalog::Star;
using detect::Detection;

constexpr std::size_t kMostWitnesses = 150; // sources that a proposal is confirmed by
constexpr double kCataloguePerSource = 2.0; // catalogue stars beside them

constexpr std::array kFoundByNames{
    std::pair{FoundBy::Neighbour, "neighbour"},
    std::pair{FoundBy::Hint, "hint"},
    std::pair{FoundBy::WiderHint, "wider hint"},
    std::pair{FoundBy::AllSky, "whole sky"},
    std::pair{FoundBy::Hand, "hand"},
};

constexpr double kMostBlindPatterns = 100'000;
constexpr double kMostBlindPlaces = 120'000;

/// What is searched where the header may be wrong about the optics, arcsec per pixel.
constexpr double kFinestScale = 0.1;
constexpr double kCoarsestScale = 20.0;

/// Of the bright sources, or else of the bright stars, so many are each other's in a true solution; a curve through what is
/// paired by chance, about a pattern that is right in its corner only, has fewer.
constexpr double kLeastCovered = 0.5;

/// From this share on a solution is right whatever its residuals; below, their chi-square says whether it follows strangers.
constexpr double kSurelyCovered = 0.75;
constexpr double kBentChiSquare = 6.0;

/// Up to so many pairs are held against their brightness, which scatters by less than this many magnitudes; colours and filters
/// make a few tenths.
constexpr std::size_t kHeldToBrightness = 15;
constexpr double kStrangers = 0.8;

/// A frame with no more sources than this is poor.
constexpr std::size_t kFewSources = 40;

/// How hard a search looks.
struct Effort {
    std::size_t sources;
    double tolerance;
};

// Few bright sources first: fast. Where most of those are no stars, or the optics bend the patterns, longer lists and
// wider tolerances still find enough.
constexpr std::array<Effort, 3> kAroundHint{{{25, 0.010}, {60, 0.012}, {30, 0.024}}};
constexpr std::array<Effort, 2> kWiderHint{{{25, 0.010}, {45, 0.012}}};
constexpr std::array<Effort, 4> kAllSky{{{20, 0.006}, {40, 0.010}, {20, 0.018}, {60, 0.008}}};

/// What one frame's attempts share.
class FrameSolver {
  public:
    FrameSolver(const Detection& detection,
                FrameSize size,
                const Utc& date,
                const SolveHint& hint,
                const SolveMeans& means,
                SolveAttempt& attempt)
        : detection_(detection), size_(size), date_(date), hint_(hint), means_(means),
          attempt_(attempt), starlike_(starlike(detection)), diagonal_(size.diagonal()) {
        attempt_ = {};
        attempt_.sources = static_cast<int>(detection.sources.size());
        attempt_.starlike = static_cast<int>(starlike_.size());
        attempt_.fwhmPixels = detection.fwhm;
        attempt_.trailPixels = detection.trailLength();
        attempt_.centre = hint.centre;
        attempt_.radius = hint.radius;
        attempt_.scaleLow = hint.scaleLow;
        attempt_.scaleHigh = hint.scaleHigh;
        attempt_.wholeSky = means.allSky != nullptr;
        for (const std::size_t i : starlike_) {
            // The middle of the frame is the origin, so that offsets stay small.
            places_.emplace_back(detection.sources[i].x - size.middle().x,
                                 detection.sources[i].y - size.middle().y);
        }
    }

    Result<Solution> run() {
        if (attempt_.starlike < kFewestSources) {
            return fail(
                ErrorId::SolveTooFewStars,
                fmt::format("Only {} star-like sources; a solution needs at least {}. The frame "
                            "may be clouded, out of focus or too short.",
                            starlike_.size(),
                            kFewestSources));
        }
        if (!hint_.centre && !hint_.neighbour && means_.allSky == nullptr) {
            return fail(ErrorId::SolveNoHint,
                        "Nothing says where the frame points; give --near RA DEC or solve blind.");
        }
        if (hint_.neighbour && fromNeighbour()) {
            return found(FoundBy::Neighbour);
        }
        if (hint_.centre) {
            for (const auto& [low, high] : octaves(hint_.scaleLow, hint_.scaleHigh)) {
                if (around(hint_.radius, low, high, kAroundHint)) {
                    return found(FoundBy::Hint);
                }
            }
            // A header may be wrong about the optics, a mount about the sky.
            const Angle wider = std::max(2.0 * hint_.radius, Angle::degrees(1.0));
            for (const auto& [low, high] : octaves(
                     std::min(hint_.scaleLow, std::max(kFinestScale, hint_.scaleLow / 3.0)),
                     std::max(hint_.scaleHigh, std::min(kCoarsestScale, 3.0 * hint_.scaleHigh)))) {
                if (around(wider, low, high, kWiderHint)) {
                    return found(FoundBy::WiderHint);
                }
            }
        }
        const PatternIndex* everywhere = means_.allSky != nullptr ? means_.allSky->get() : nullptr;
        if (everywhere != nullptr) {
            for (const Effort& effort : kAllSky) {
                if (search(*everywhere,
                           std::nullopt,
                           {},
                           hint_.centre ? std::min(kFinestScale, hint_.scaleLow) : hint_.scaleLow,
                           hint_.centre ? std::max(kCoarsestScale, hint_.scaleHigh)
                                        : hint_.scaleHigh,
                           effort)) {
                    return found(FoundBy::AllSky);
                }
            }
        }
        return failure();
    }

  private:
    /// A range of scales cut into parts of a factor of two at most, those in the middle first.
    static std::vector<std::pair<double, double>> octaves(double low, double high) {
        const int parts = std::max(1, static_cast<int>(std::ceil(std::log2(high / low) - 0.1)));
        std::vector<std::pair<double, double>> ranges;
        ranges.reserve(static_cast<std::size_t>(parts));
        for (int i = 0; i < parts; ++i) {
            ranges.emplace_back(low * std::pow(high / low, static_cast<double>(i) / parts),
                                low * std::pow(high / low, (i + 1.0) / parts));
        }
        std::stable_sort(ranges.begin(), ranges.end(), [&](const auto& a, const auto& b) {
            const double middle = std::sqrt(low * high);
            return std::abs(std::log(a.first * a.second / (middle * middle))) <
                   std::abs(std::log(b.first * b.second / (middle * middle)));
        });
        return ranges;
    }

    Result<Solution> found(FoundBy how) {
        solution_->foundBy = how;
        return *std::move(solution_);
    }

    [[nodiscard]] bool stopped() const { return means_.stop.stop_requested(); }

    /// Searches around the hint at scales in arcsec per pixel.
    template <std::size_t N>
    bool around(Angle radius, double low, double high, const std::array<Effort, N>& efforts) {
        if (stopped()) {
            return false;
        }
        const Angle longest = Angle::arcsec(0.9 * diagonal_ * high);
        const Angle shortest = Angle::arcsec(0.12 * diagonal_ * low);
        IndexOptions options;
        options.starsPerCell = kCellStars;
        options.coarsest = PatternIndex::orderFor(longest);
        options.finest = PatternIndex::orderFor(shortest);
        const double cell = PatternIndex::cellSide(options.finest).degrees();
        const Angle reach =
            std::min(radius + Angle::arcsec(0.55 * diagonal_ * high), Angle::degrees(89.0));
        const auto stars =
            means_.store->brightest(*hint_.centre, reach, date_, 1.5 * kCellStars / (cell * cell));
        if (!stars) {
            problem_ = stars.error();
            return false;
        }
        attempt_.starsAround = std::max(attempt_.starsAround, static_cast<int>(stars->size()));
        std::vector<Vec3> directions;
        directions.reserve(stars->size());
        for (const Star& star : *stars) {
            directions.push_back(star.place.vector());
        }
        enrich(options, directions.size());
        const auto index = PatternIndex::build(directions, options, {means_.stop, {}, {}});
        if (!index) {
            return false;
        }
        return std::any_of(efforts.begin(), efforts.end(), [&](const Effort& effort) {
            return search(*index, hint_.centre, radius, low, high, effort);
        });
    }

    /// One search; true once `solution_` is there.
    bool search(const PatternIndex& index,
                const std::optional<SkyPos>& centre,
                Angle radius,
                double lowArcsec,
                double highArcsec,
                const Effort& effort) {
        if (stopped()) {
            return false;
        }
        PatternQuestion question;
        question.sources = places_;
        question.width = size_.width;
        question.height = size_.height;
        question.scaleLow = lowArcsec * kRadiansPerArcsec;
        question.scaleHigh = highArcsec * kRadiansPerArcsec;
        question.centre = centre;
        question.radius = radius;
        question.mostSources = effort.sources;
        question.tolerance = effort.tolerance;
        if (!centre) {
            // Over a whole catalogue most places are wrong ones: time is better spent on another frame.
            question.mostPatterns = kMostBlindPatterns;
            question.mostPlaces = kMostBlindPlaces;
        }
        const double before = attempt_.placesTried;
        const PatternReport report = searchPatterns(
            index,
            question,
            [&](const PatternAnswer& answer, double tried) {
                return confirm(answer, before + tried);
            },
            means_.stop);
        attempt_.placesTried = before + report.tried;
        if (report.best && report.best->ratioLog10 > bestRatio_) {
            bestRatio_ = report.best->ratioLog10;
            attempt_.bestMatched = report.best->matched;
        }
        attempt_.bestOf = static_cast<int>(std::min<std::size_t>(places_.size(), 60));
        attempt_.bestChanceLog10 =
            std::log10(std::max(attempt_.placesTried, 1.0)) - std::max(bestRatio_, 0.0);
        return solution_.has_value();
    }

    /// Judges a proposal by the catalogue itself, and fits it where it holds.
    bool confirm(const PatternAnswer& answer, double tried) {
        const double scale = std::abs(answer.transform.factor);
        const SkyPos middle = fromTangentPlane(
            answer.tangentPoint, {answer.transform.offset.real(), answer.transform.offset.imag()});
        const std::size_t witnesses = std::min(places_.size(), kMostWitnesses);
        const Angle reach = Angle::radians(0.53 * diagonal_ * scale);
        const double squareDegrees = size_.squareDegrees(Angle::radians(scale).arcsec());
        const auto stars = means_.store->brightest(
            middle,
            reach,
            date_,
            kCataloguePerSource * static_cast<double>(witnesses) / squareDegrees + 2.0);
        if (!stars) {
            return false;
        }
        std::vector<Place> plane;
        for (const Star& star : *stars) {
            const PlanePos p = toTangentPlane(answer.tangentPoint, star.place);
            const Place pixel = answer.transform.invert({p.xi, p.eta});
            if (std::abs(pixel.real()) < 0.5 * size_.width + 10.0 &&
                std::abs(pixel.imag()) < 0.5 * size_.height + 10.0) {
                plane.emplace_back(p.xi, p.eta);
            }
            if (static_cast<double>(plane.size()) >=
                kCataloguePerSource * static_cast<double>(witnesses) + 4.0) {
                break;
            }
        }
        PlaceLikelihood likelihood(size_.width * static_cast<double>(size_.height),
                                   diagonal_,
                                   static_cast<double>(plane.size()));
        for (std::size_t k = 0; k < 4; ++k) {
            likelihood.assume(answer.quadPixels[k], answer.quadPlane[k], answer.transform.flipped);
        }
        scoreSources(likelihood, std::span(places_).first(witnesses), plane, answer.quadPixels);
        // Two figures, either of which would do: the better one may be chance twice as often.
        const double ratio = std::max(likelihood.log10(), answer.ratioLog10) - 0.31;
        const double falseAlarm = std::log10(tried) - ratio;
        if (falseAlarm > kFalseAlarmBound) {
            return false;
        }
        const Similarity& s =
            likelihood.matched() >= answer.matched - 4 ? likelihood.similarity() : answer.transform;
        return fitFrom(toWcs(s, answer.tangentPoint), std::max(4.0, 0.004 * diagonal_), falseAlarm);
    }

    /// A WCS that is a similarity only.
    [[nodiscard]] frame::Wcs toWcs(const Similarity& s, const SkyPos& tangentPoint) const {
        frame::Wcs wcs;
        wcs.referenceSky = fromTangentPlane(tangentPoint, {s.offset.real(), s.offset.imag()});
        wcs.referencePixel = size_.middle();
        const double sign = s.flipped ? -1.0 : 1.0;
        // North at the middle of the frame is not quite north at the tangent point.
        const PlanePos north =
            toTangentPlane(tangentPoint, fromTangentPlane(wcs.referenceSky, {0.0, 1e-6}));
        const Place up(north.xi - s.offset.real(), north.eta - s.offset.imag());
        const Place turned = s.factor * Place(0.0, 1.0) * std::conj(up) / std::norm(up) * 1e-6;
        wcs.cd = {turned.real(), -turned.imag() * sign, turned.imag(), turned.real() * sign};
        return wcs;
    }

    /// Fits all sources from a rough solution.
    bool fitFrom(const frame::Wcs& rough, double radiusPixels, double falseAlarm) {
        const frame::PixelPos middle = size_.middle();
        const double scale = rough.scaleArcsec();
        const double squareDegrees = size_.squareDegrees(scale);
        // Stars far fainter than the faintest source are only in the way.
        const auto field = means_.store->brightest(
            rough.toSky(middle),
            Angle::arcsec(0.53 * diagonal_ * scale),
            date_,
            3.0 * static_cast<double>(starlike_.size()) / squareDegrees + 50.0);
        if (!field) {
            return false;
        }
        auto solution = fitInSteps(detection_, starlike_, *field, rough, size_, radiusPixels);
        // Among few one stranger bends the fit, and so do many about a pattern that is a little off: with less room they may not be
        // met.
        for (const double share : {0.5, 0.25}) {
            if (starlike_.size() > kFewSources && solution && !isBent(*solution)) {
                break;
            }
            auto closer =
                fitInSteps(detection_, starlike_, *field, rough, size_, share * radiusPixels);
            if (closer && (!solution || closer->usedStars > solution->usedStars)) {
                solution = std::move(closer);
            }
        }
        if (!solution || solution->usedStars < 5 || solution->covered < kLeastCovered ||
            isBent(*solution) || !brightnessAgrees(*solution)) {
            return false;
        }
        solution_ = *std::move(solution);
        complete(*solution_, detection_, *field, size_);
        solution_->falseAlarmLog10 = falseAlarm;
        return true;
    }

    /// A curve through strangers: many sources have no star, and those that have lie far beyond their errors.
    [[nodiscard]] static bool isBent(const Solution& solution) {
        return solution.covered < kSurelyCovered && solution.chiSquare > kBentChiSquare;
    }

    /// Whether few pairs are as bright as each other: strangers of chance differ by magnitudes.
    [[nodiscard]] bool brightnessAgrees(const Solution& solution) const {
        std::vector<double> zeros;
        for (const MatchedStar& match : solution.matched) {
            const double flux = detection_.sources[match.source].flux;
            if (match.usedInFit && flux > 0.0) {
                zeros.push_back(match.star.magG + 2.5 * std::log10(flux));
            }
        }
        return zeros.size() < 5 || zeros.size() > kHeldToBrightness ||
               medianAndDeviation(zeros).sigma < kStrangers;
    }

    /// The solution of another frame, moved by the shift that most bright sources and stars agree on.
    bool fromNeighbour() {
        const frame::Wcs& wcs = *hint_.neighbour;
        const frame::PixelPos middle = size_.middle();
        const double scale = wcs.scaleArcsec();
        const double most = 0.2 * diagonal_;
        const auto field = means_.store->brightest(wcs.toSky(middle),
                                                   Angle::arcsec((0.5 * diagonal_ + most) * scale),
                                                   date_,
                                                   200.0 / size_.squareDegrees(scale));
        if (!field) {
            return false;
        }
        std::vector<Place> stars;
        for (const Star& star : *field) {
            if (const auto p = wcs.toPixel(star.place)) {
                stars.emplace_back(p->x - middle.x, p->y - middle.y);
            }
        }
        const auto shift = commonShift(places_, stars, most);
        if (!shift) {
            return false;
        }
        const double falseAlarm =
            chanceOfShift(std::span(places_).first(std::min(places_.size(), kMostWitnesses)),
                          stars,
                          shift->offset,
                          size_,
                          shift->possible);
        if (falseAlarm > kFalseAlarmBound) {
            return false;
        }
        frame::Wcs moved = wcs;
        moved.referencePixel.x -= shift->offset.real();
        moved.referencePixel.y -= shift->offset.imag();
        return fitFrom(moved, 5.0, falseAlarm);
    }

    /// Why there is no solution, with the numbers, and what to try.
    [[nodiscard]] Result<Solution> failure() const {
        if (stopped()) {
            return fail(ErrorId::BaseCancelled, "Stopped before the frame was solved.");
        }
        if (problem_ && attempt_.starsAround == 0) {
            Error error = *problem_;
            if (means_.allSky != nullptr) {
                error.detail +=
                    " The frame was not found in what the catalogue does cover, either.";
            }
            return fail(error);
        }
        return fail(ErrorId::SolveNoMatch, explain(attempt_));
    }

    const Detection& detection_;
    FrameSize size_;
    const Utc& date_;
    const SolveHint& hint_;
    const SolveMeans& means_;
    SolveAttempt& attempt_;
    std::vector<std::size_t> starlike_;
    double diagonal_;
    std::vector<Place> places_;
    std::optional<Solution> solution_;
    std::optional<Error> problem_;
    double bestRatio_ = -1e9;
};

} // namespace

const char* name(FoundBy how) {
    return nameIn(kFoundByNames, how);
}

Result<Solution> solveFrame(const Detection& detection,
                            FrameSize size,
                            const Utc& date,
                            const SolveHint& hint,
                            const SolveMeans& means,
                            SolveAttempt* attempt) {
    PATHMARK_EXPECTS(means.store != nullptr);
    SolveAttempt unread;
    return FrameSolver(detection, size, date, hint, means, attempt != nullptr ? *attempt : unread)
        .run();
}

Result<Solution> refineSolution(const Detection& detection,
                                FrameSize size,
                                const Utc& date,
                                const frame::Wcs& nearly,
                                double radiusPixels,
                                const catalog::StarStore& store) {
    auto field = store.field(nearly.toSky(size.middle()),
                             Angle::arcsec(0.525 * size.diagonal() * nearly.scaleArcsec()),
                             date);
    if (!field) {
        return fail(field.error());
    }
    auto solution = fitInSteps(detection, starlike(detection), *field, nearly, size, radiusPixels);
    if (solution) {
        complete(*solution, detection, *field, size);
    }
    return solution;
}

} // namespace pathmark::solve
