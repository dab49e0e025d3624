#include "core/night/light_curves.h"

#include "core/base/robust.h"
#include "core/orbit/motion/constants.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::night {
namespace {

constexpr double kVariableChiSquare = 6.0; ///< reduced, from where on a star varies
constexpr double kVariableAlone = 3.5;     ///< the same without its worst point
constexpr double kVariableExcess = 1.6;    ///< times the expected scatter
constexpr double kCloudMagnitudes = 1.0;
constexpr double kSeeingCorrelation = 0.85; ///< with the width of stars: a neighbour, no variation
constexpr double kSetArcsec = 3.0;          ///< a star of a set is the catalogue's nearest within

double instrumental(double flux, double exposure) {
    return -2.5 * std::log10(flux / exposure);
}

/// The star of a field that a place means.
std::optional<std::size_t> starAt(const FieldLights& lights, const SkyPos& place) {
    std::optional<std::size_t> best;
    double nearest = kSetArcsec;
    for (std::size_t i = 0; i < lights.stars.size(); ++i) {
        const double distance = separation(lights.stars[i].place, place).arcsec();
        if (distance < nearest) {
            nearest = distance;
            best = i;
        }
    }
    return best;
}

/// Whether a body shines into a star in that frame.
bool isPassed(const catalog::Star& star, const LightFrame& frame) {
    return std::any_of(frame.targets.begin(), frame.targets.end(), [&](const TargetLight& target) {
        return target.place &&
               separation(target.place->sky, star.place).arcsec() < 4.0 * frame.fwhmArcsec;
    });
}

std::vector<std::string> wordsOf(unsigned flags) {
    std::vector<std::string> words;
    for (const auto& [bit, word] : {std::pair{MeasurableFile::kLightBlend, "blend"},
                                    {MeasurableFile::kLightPassingStar, "passing_star"},
                                    {MeasurableFile::kLightSaturated, "saturated"},
                                    {MeasurableFile::kLightEdge, "edge"},
                                    {MeasurableFile::kLightDefect, "defect"}}) {
        if ((flags & bit) != 0) {
            words.emplace_back(word);
        }
    }
    return words;
}

/// The curves of one band in the making.
class CurveMaker {
  public:
    CurveMaker(const FieldLights& lights, catalog::Band band, const CurveChoice& choice)
        : lights_(lights), frames_(lights.byBand.at(band)), choice_(choice), band_(band) {}

    BandCurves make();

  private:
    [[nodiscard]] std::vector<measure::SeriesStar> seriesOf() const;
    void applySet(std::vector<measure::SeriesStar>& series) const;
    [[nodiscard]] bool followsSeeing(const measure::SeriesStar& star,
                                     const measure::Ensemble& ensemble) const;
    [[nodiscard]] FieldStar starOf(std::size_t s,
                                   const measure::SeriesStar& series,
                                   const measure::Ensemble& ensemble) const;
    [[nodiscard]] TargetPoint
    pointOf(std::size_t target, std::size_t frame, double colour, const BandCurves& curves) const;
    [[nodiscard]] TargetCurve curveOf(std::size_t target, const BandCurves& curves) const;
    [[nodiscard]] std::optional<double> targetMagnitude(const measure::Ensemble& ensemble) const;
    [[nodiscard]] std::optional<std::size_t> checkStarOf(const measure::Ensemble& ensemble) const;
    [[nodiscard]] unsigned flagsOf(std::size_t star) const;

    const FieldLights& lights_;
    const std::vector<LightFrame>& frames_;
    const CurveChoice& choice_;
    catalog::Band band_;
};

std::vector<measure::SeriesStar> CurveMaker::seriesOf() const {
    std::vector<measure::SeriesStar> series(lights_.stars.size());
    for (std::size_t s = 0; s < series.size(); ++s) {
        measure::SeriesStar& star = series[s];
        star.colour = lights_.stars[s].colour;
        const double colour = std::isfinite(star.colour) ? star.colour : solve::kBodyColour;
        star.catalogueMag = catalog::toBand(band_, lights_.stars[s].magG, colour);
        star.isFit = std::isfinite(star.colour) && !choice_.off.contains(lights_.stars[s].sourceId);
        for (const LightFrame& frame : frames_) {
            const auto& light = frame.stars[s];
            star.frames += (light.flags & MeasurableFile::kLightElsewhere) == 0 ? 1 : 0;
            const bool good =
                light.flux > 0.0 && !isPassed(lights_.stars[s], frame) &&
                (light.flags & (MeasurableFile::kLightSaturated | MeasurableFile::kLightDefect)) ==
                    0;
            star.mags.push_back(good ? instrumental(light.flux, frame.exposureSeconds)
                                     : std::nan(""));
            star.errors.push_back(good ? 1.0857 * light.error / light.flux : std::nan(""));
            const unsigned spoiled = MeasurableFile::kLightSaturated | MeasurableFile::kLightBlend;
            star.isFit = star.isFit && (light.flags & spoiled) == 0;
        }
    }
    applySet(series);
    return series;
}

void CurveMaker::applySet(std::vector<measure::SeriesStar>& series) const {
    if (choice_.set.comparison.empty()) {
        return;
    }
    for (auto& star : series) {
        star.isFit = false;
    }
    for (const SetStar& chosen : choice_.set.comparison) {
        const auto s = starAt(lights_, chosen.place);
        if (s && !choice_.off.contains(lights_.stars[*s].sourceId)) {
            series[*s].isFit = true;
            series[*s].isChosen = true;
            if (chosen.mag && chosen.band == catalog::name(band_)) {
                series[*s].catalogueMag = *chosen.mag;
            }
        }
    }
}

/// Whether a star's light goes with the width of the stars: its neighbour's light does then.
bool CurveMaker::followsSeeing(const measure::SeriesStar& star,
                               const measure::Ensemble& ensemble) const {
    double n = 0.0;
    double sx = 0.0;
    double sy = 0.0;
    double sxx = 0.0;
    double syy = 0.0;
    double sxy = 0.0;
    for (std::size_t f = 0; f < frames_.size(); ++f) {
        const double y = ensemble.magnitude(f, star.mags[f], star.colour);
        if (std::isfinite(y)) {
            const double x = frames_[f].fwhmArcsec;
            n += 1.0;
            sx += x;
            sy += y;
            sxx += x * x;
            syy += y * y;
            sxy += x * y;
        }
    }
    const double vx = sxx - sx * sx / n;
    const double vy = syy - sy * sy / n;
    return vx > 0.0 && vy > 0.0 &&
           std::abs(sxy - sx * sy / n) > kSeeingCorrelation * std::sqrt(vx * vy);
}

TargetPoint CurveMaker::pointOf(std::size_t target,
                                std::size_t f,
                                double colour,
                                const BandCurves& curves) const {
    const LightFrame& frame = frames_[f];
    const TargetLight& seen = frame.targets[target];
    TargetPoint point;
    point.file = frame.file;
    point.time = seen.time;
    point.field = frame.field;
    point.bjdTdb = seen.bjdTdb;
    point.flags = wordsOf(seen.light.flags);
    if (curves.frames[f].extinction > kCloudMagnitudes) {
        point.flags.emplace_back("cloud");
    }
    if (seen.light.flux > 0.0 && seen.light.error > 0.0) {
        point.snr = seen.light.flux / seen.light.error;
    }
    if (point.snr >= measure::kLeastSnr) {
        const double mag = curves.ensemble.magnitude(
            f, instrumental(seen.light.flux, frame.exposureSeconds), colour);
        if (std::isfinite(mag)) {
            point.mag = mag;
            point.magError =
                std::hypot(1.0857 / point.snr, curves.ensemble.floor, curves.frames[f].error);
        }
    }
    point.place = seen.place;
    point.julianTdb = seen.julianTdb;
    if (seen.place) {
        point.julianTdb -= seen.place->distanceAu / orbit::kLightAuPerDay;
        if (point.mag) {
            point.reducedMag =
                *point.mag - 5.0 * std::log10(seen.place->sunDistanceAu * seen.place->distanceAu);
        }
    }
    return point;
}

TargetCurve CurveMaker::curveOf(std::size_t target, const BandCurves& curves) const {
    TargetCurve curve;
    const CurveTarget& wanted = lights_.targets[target];
    curve.name = wanted.name;
    double colour = solve::kBodyColour;
    if (!wanted.elements) {
        if (const auto star = starAt(lights_, wanted.place)) {
            const double own = lights_.stars[*star].colour;
            colour = std::isfinite(own) ? own : colour;
        }
    }
    for (std::size_t f = 0; f < frames_.size(); ++f) {
        curve.points.push_back(pointOf(target, f, colour, curves));
    }
    if (const auto points = curve.clean(); !points.empty()) {
        curve.period =
            measure::findPeriod(points, choice_.period.value_or(measure::usualRange(points)));
    }
    return curve;
}

/// How bright the subject is, as a median; nothing where it is not seen.
std::optional<double> CurveMaker::targetMagnitude(const measure::Ensemble& ensemble) const {
    std::vector<double> mags;
    const std::size_t subject = choice_.subject;
    for (std::size_t f = 0; f < frames_.size() && subject < lights_.targets.size(); ++f) {
        const auto& light = frames_[f].targets[subject].light;
        const double mag =
            light.flux > 0.0
                ? ensemble.magnitude(
                      f, instrumental(light.flux, frames_[f].exposureSeconds), solve::kBodyColour)
                : std::nan("");
        if (std::isfinite(mag)) {
            mags.push_back(mag);
        }
    }
    return mags.empty() ? std::nullopt : std::optional(medianInPlace(std::span(mags)));
}

/// A comparison star without a flag, to be checked instead of used: that nearest to the subject in brightness, or the one in the
/// middle of all.
std::optional<std::size_t> CurveMaker::checkStarOf(const measure::Ensemble& ensemble) const {
    std::vector<std::pair<double, std::size_t>> used;
    std::size_t count = 0;
    for (std::size_t s = 0; s < lights_.stars.size(); ++s) {
        if (!ensemble.stars[s].used) {
            continue;
        }
        ++count;
        if (flagsOf(s) == 0) {
            used.emplace_back(ensemble.stars[s].mag, s);
        }
    }
    constexpr std::size_t fewest = 6;
    if (count < fewest || used.empty()) {
        return std::nullopt;
    }
    std::sort(used.begin(), used.end());
    const double wanted = targetMagnitude(ensemble).value_or(used[used.size() / 2].first);
    return std::min_element(used.begin(),
                            used.end(),
                            [&](const auto& a, const auto& b) {
                                return std::abs(a.first - wanted) < std::abs(b.first - wanted);
                            })
        ->second;
}

/// What was wrong with a star on any frame.
unsigned CurveMaker::flagsOf(std::size_t star) const {
    unsigned flags = 0;
    for (const LightFrame& frame : frames_) {
        flags |= frame.stars[star].flags;
    }
    return flags & ~static_cast<unsigned>(MeasurableFile::kLightElsewhere);
}

FieldStar CurveMaker::starOf(std::size_t s,
                             const measure::SeriesStar& series,
                             const measure::Ensemble& ensemble) const {
    FieldStar star;
    star.star = lights_.stars[s];
    star.catalogueMag = series.catalogueMag;
    star.scatter = ensemble.stars[s];
    const unsigned flags = flagsOf(s);
    star.flags = wordsOf(flags);
    const auto& scatter = star.scatter;
    const unsigned spoiled = MeasurableFile::kLightSaturated | MeasurableFile::kLightBlend |
                             MeasurableFile::kLightDefect;
    star.variable =
        (flags & spoiled) == 0 && scatter.points > 5 && scatter.chiSquare > kVariableChiSquare &&
        scatter.chiSquareWithoutWorst > kVariableAlone &&
        scatter.rms > kVariableExcess * scatter.expectedRms && !followsSeeing(series, ensemble);
    return star;
}

BandCurves CurveMaker::make() {
    auto series = seriesOf();
    BandCurves curves;
    curves.band = band_;
    curves.ensemble = measure::fitEnsemble(series, frames_.size(), solve::kBodyColour);
    curves.check = choice_.set.check ? starAt(lights_, choice_.set.check->place)
                                     : checkStarOf(curves.ensemble);
    if (curves.check) {
        series[*curves.check].isFit = false;
        curves.ensemble = measure::fitEnsemble(series, frames_.size(), solve::kBodyColour);
    }
    double clearest = -1e9;
    for (const auto& zero : curves.ensemble.frames) {
        clearest = std::isfinite(zero.zeroPoint) ? std::max(clearest, zero.zeroPoint) : clearest;
    }
    for (std::size_t f = 0; f < frames_.size(); ++f) {
        const measure::FrameZero& zero = curves.ensemble.frames[f];
        curves.frames.push_back({frames_[f].file,
                                 frames_[f].middle,
                                 zero.zeroPoint,
                                 zero.error,
                                 clearest - zero.zeroPoint});
    }
    for (std::size_t t = 0; t < lights_.targets.size(); ++t) {
        curves.targets.push_back(curveOf(t, curves));
    }
    for (std::size_t s = 0; s < series.size(); ++s) {
        curves.stars.push_back(starOf(s, series[s], curves.ensemble));
    }
    return curves;
}

} // namespace

std::vector<measure::CurvePoint> TargetCurve::clean() const {
    std::vector<measure::CurvePoint> clean;
    std::map<int, int> levels; // of fields, in the order in which they come
    // Days from the first point: a Julian date squared has no digits left for minutes.
    std::optional<double> first;
    for (const TargetPoint& point : points) {
        if (point.mag && point.flags.empty()) {
            first = first.value_or(point.julianTdb);
            const int level =
                levels.emplace(point.field, static_cast<int>(levels.size())).first->second;
            clean.push_back({point.julianTdb - *first,
                             point.reducedMag.value_or(*point.mag),
                             point.magError,
                             level});
        }
    }
    return clean;
}

BandCurves curvesOf(const FieldLights& lights, catalog::Band band, const CurveChoice& choice) {
    return CurveMaker(lights, band, choice).make();
}

std::vector<StarPoint>
starCurve(const FieldLights& lights, const BandCurves& curves, std::size_t star) {
    std::vector<StarPoint> points;
    const auto& frames = lights.byBand.at(curves.band);
    for (std::size_t f = 0; f < frames.size(); ++f) {
        const auto& light = frames[f].stars[star];
        if (!(light.flux > 0.0)) {
            continue;
        }
        const double mag = curves.ensemble.magnitude(
            f, instrumental(light.flux, frames[f].exposureSeconds), lights.stars[star].colour);
        if (std::isfinite(mag)) {
            points.push_back({frames[f].middle,
                              mag,
                              std::hypot(1.0857 * light.error / light.flux,
                                         curves.ensemble.floor,
                                         curves.frames[f].error)});
        }
    }
    return points;
}

Result<LightCurves> measureCurves(const CurveRequest& request,
                                  const catalog::StarStore& store,
                                  const SkyTables& tables,
                                  const Job& job) {
    auto lights = measureFieldLights(request, store, tables, job);
    if (!lights) {
        return fail(lights.error());
    }
    LightCurves curves;
    for (const auto& [band, frames] : lights->byBand) {
        curves.bands.push_back(curvesOf(*lights, band, request.choice));
    }
    curves.failures = std::move(lights->failures);
    return curves;
}

} // namespace pathmark::night
