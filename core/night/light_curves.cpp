#include "core/night/light_curves.h"

#include "core/base/robust.h"
#include "core/night/measure_file.h"
#include "core/orbit/motion/constants.h"
#include "core/orbit/place/ephemeris.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace pathmark::night {
namespace {

constexpr std::size_t kMostStars = 800;
constexpr double kFaintAllowance = 1.3;    ///< magnitudes above the limit of 5 sigma: S/N 16
constexpr double kVariableChiSquare = 6.0; ///< reduced, from where on a star varies
constexpr double kVariableAlone = 3.5;     ///< the same without its worst point
constexpr double kVariableExcess = 1.6;    ///< times the expected scatter
constexpr double kCloudMagnitudes = 1.0;
constexpr double kSeeingCorrelation = 0.85; ///< with the width of stars: a neighbour, no variation

/// One frame of a band, measured.
struct Measured {
    std::filesystem::path file;
    Utc middle;
    double exposure = 0.0;
    double fwhm = 0.0;
    std::vector<MeasurableFile::PlaceLight> stars;
    std::vector<MeasurableFile::PlaceLight> targets;
    std::vector<std::optional<orbit::Place>> places; ///< of bodies
    std::vector<Utc> times;                          ///< of each target
};

using ByBand = std::map<catalog::Band, std::vector<Measured>>;

class CurveMeasurer {
  public:
    CurveMeasurer(const CurveRequest& request,
                  const catalog::StarStore& store,
                  const SkyTables& tables,
                  const Job& job)
        : request_(request), store_(store), tables_(tables), job_(job) {}

    Result<LightCurves> measure();

  private:
    Result<bool> chooseStars(const MeasurableFile& first);
    Result<bool> measureFile(const std::filesystem::path& path);
    [[nodiscard]] Result<orbit::Observer> observerAt(const Utc& time) const;
    [[nodiscard]] Result<bool>
    measureTarget(const MeasurableFile& file, const CurveTarget& target, Measured& measured) const;
    [[nodiscard]] Result<BandCurves> curvesOf(catalog::Band band,
                                              const std::vector<Measured>& frames) const;
    [[nodiscard]] std::vector<measure::SeriesStar>
    seriesOf(catalog::Band band, const std::vector<Measured>& frames) const;
    [[nodiscard]] Result<TargetCurve> curveOf(std::size_t target,
                                              const std::vector<Measured>& frames,
                                              const BandCurves& band,
                                              const measure::Ensemble& ensemble) const;
    [[nodiscard]] bool isPassed(std::size_t star, const Measured& frame) const;
    void applySet(catalog::Band band, std::vector<measure::SeriesStar>& series) const;
    [[nodiscard]] std::optional<std::size_t> starAt(const SkyPos& place) const;

    const CurveRequest& request_;
    const catalog::StarStore& store_;
    const SkyTables& tables_;
    const Job& job_;
    std::vector<catalog::Star> field_; ///< all of the catalogue there, the brightest first
    std::size_t count_ = 0;            ///< of those that are measured
    ByBand frames_;
    LightCurves result_;
};

Result<orbit::Observer> CurveMeasurer::observerAt(const Utc& time) const {
    // Without a site the Earth's centre: 0.02 s of light, and the parallax of what is near.
    return request_.site ? orbit::observerAt(tables_.planets, *request_.site, time, tables_.turn)
                         : orbit::observerInSpace(tables_.planets, Vec3{}, time);
}

Result<bool> CurveMeasurer::chooseStars(const MeasurableFile& first) {
    const frame::PixelPos middle{0.5 * (first.info().width - 1), 0.5 * (first.info().height - 1)};
    const SkyPos centre = first.wcs().toSky(middle);
    const Angle radius = separation(centre, first.wcs().toSky({0.0, 0.0}));
    auto stars = store_.field(centre, 1.1 * radius, *first.info().midExposure);
    if (!stars) {
        return fail(stars.error());
    }
    field_ = std::move(*stars);
    const double limit = first.photometry() ? first.photometry()->limitingMag : 99.0;
    while (count_ < std::min(field_.size(), kMostStars) &&
           field_[count_].magG < limit - kFaintAllowance) {
        ++count_;
    }
    return true;
}

Result<bool> CurveMeasurer::measureTarget(const MeasurableFile& file,
                                          const CurveTarget& target,
                                          Measured& measured) const {
    measure::Target sought;
    sought.searchArcsec = std::max(5.0, 2.0 * file.fwhmArcsec());
    Utc time = *file.info().midExposure;
    std::optional<orbit::Place> place;
    if (target.elements) {
        auto motion = orbit::Ephemeris::make(
            *target.elements, tables_.planets, time.plusSeconds(-60.0), time.plusSeconds(60.0));
        const auto observer = observerAt(time);
        if (!motion || !observer) {
            return fail(!motion ? motion.error() : observer.error());
        }
        time = file.timeAt(motion->directionFrom(*observer));
        const auto then = observerAt(time);
        if (!then) {
            return fail(then.error());
        }
        place = motion->at(*then);
        sought.predicted = place->sky;
        sought.xiRateArcsecPerMin = place->xiRateArcsecPerMin;
        sought.etaRateArcsecPerMin = place->etaRateArcsecPerMin;
        sought.trailSeconds = file.info().exposureSeconds;
        measured.targets.push_back(file.bodyLight(sought, field_));
    } else {
        sought.predicted = target.place;
        sought.isPlace = true;
        time = file.timeAt(target.place);
        measured.targets.push_back(file.bodyLight(sought, field_));
    }
    measured.places.push_back(place);
    measured.times.push_back(time);
    return true;
}

Result<bool> CurveMeasurer::measureFile(const std::filesystem::path& path) {
    auto file = MeasurableFile::open(path, request_.wcsFolder, request_.rules, &store_);
    if (!file) {
        return fail(file.error());
    }
    if (!file->photometry()) {
        return fail(ErrorId::SolveTooFewStars,
                    "Too few stars of the catalogue are on it to tell its zero point.",
                    path.string());
    }
    const catalog::Band band = file->photometry()->band;
    if (request_.band && band != *request_.band) {
        return true;
    }
    if (field_.empty()) {
        if (auto chosen = chooseStars(*file); !chosen) {
            return chosen;
        }
    }
    Measured measured;
    measured.file = path;
    measured.middle = *file->info().midExposure;
    measured.exposure = file->info().exposureSeconds;
    measured.fwhm = file->fwhmArcsec();
    measured.stars = file->starLights(field_, count_);
    for (const CurveTarget& target : request_.targets) {
        if (auto done = measureTarget(*file, target, measured); !done) {
            return done;
        }
    }
    frames_[band].push_back(std::move(measured));
    return true;
}

std::optional<std::size_t> CurveMeasurer::starAt(const SkyPos& place) const {
    std::optional<std::size_t> best;
    double nearest = 3.0;
    for (std::size_t i = 0; i < count_; ++i) {
        const double distance = separation(field_[i].place, place).arcsec();
        if (distance < nearest) {
            nearest = distance;
            best = i;
        }
    }
    return best;
}

double instrumental(double flux, double exposure) {
    return -2.5 * std::log10(flux / exposure);
}

/// Whether a body shines into a star in that frame.
bool CurveMeasurer::isPassed(std::size_t star, const Measured& frame) const {
    return std::any_of(frame.places.begin(), frame.places.end(), [&](const auto& place) {
        return place && separation(place->sky, field_[star].place).arcsec() < 4.0 * frame.fwhm;
    });
}

std::vector<measure::SeriesStar>
CurveMeasurer::seriesOf(catalog::Band band, const std::vector<Measured>& frames) const {
    std::vector<measure::SeriesStar> series(count_);
    for (std::size_t s = 0; s < count_; ++s) {
        measure::SeriesStar& star = series[s];
        star.colour = field_[s].colour;
        const double colour = std::isfinite(star.colour) ? star.colour : solve::kBodyColour;
        star.catalogueMag = catalog::toBand(band, field_[s].magG, colour);
        star.isFit = std::isfinite(star.colour);
        for (const Measured& frame : frames) {
            const auto& light = frame.stars[s];
            const bool good =
                light.flux > 0.0 && !isPassed(s, frame) &&
                (light.flags & (MeasurableFile::kLightSaturated | MeasurableFile::kLightDefect)) ==
                    0;
            star.mags.push_back(good ? instrumental(light.flux, frame.exposure) : std::nan(""));
            star.errors.push_back(good ? 1.0857 * light.error / light.flux : std::nan(""));
            const unsigned spoiled = MeasurableFile::kLightSaturated | MeasurableFile::kLightBlend;
            star.isFit = star.isFit && (light.flags & spoiled) == 0;
        }
    }
    applySet(band, series);
    return series;
}

void CurveMeasurer::applySet(catalog::Band band, std::vector<measure::SeriesStar>& series) const {
    if (request_.set.comparison.empty()) {
        return;
    }
    for (auto& star : series) {
        star.isFit = false;
    }
    for (const SetStar& chosen : request_.set.comparison) {
        if (const auto s = starAt(chosen.place)) {
            series[*s].isFit = true;
            series[*s].isChosen = true;
            if (chosen.mag && chosen.band == catalog::name(band)) {
                series[*s].catalogueMag = *chosen.mag;
            }
        }
    }
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

/// Whether a star's light goes with the width of the stars: its neighbour's light does then.
bool followsSeeing(const measure::SeriesStar& star,
                   const measure::Ensemble& ensemble,
                   const std::vector<Measured>& frames) {
    double n = 0.0;
    double sx = 0.0;
    double sy = 0.0;
    double sxx = 0.0;
    double syy = 0.0;
    double sxy = 0.0;
    for (std::size_t f = 0; f < frames.size(); ++f) {
        const double y = ensemble.magnitude(f, star.mags[f], star.colour);
        if (std::isfinite(y)) {
            const double x = frames[f].fwhm;
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

Result<TargetCurve> CurveMeasurer::curveOf(std::size_t target,
                                           const std::vector<Measured>& frames,
                                           const BandCurves& band,
                                           const measure::Ensemble& ensemble) const {
    TargetCurve curve;
    curve.name = request_.targets[target].name;
    double colour = solve::kBodyColour;
    if (!request_.targets[target].elements) {
        if (const auto star = starAt(request_.targets[target].place)) {
            colour = std::isfinite(field_[*star].colour) ? field_[*star].colour : colour;
        }
    }
    std::vector<measure::CurvePoint> points;
    for (std::size_t f = 0; f < frames.size(); ++f) {
        const Measured& frame = frames[f];
        const auto& light = frame.targets[target];
        const auto& place = frame.places[target];
        TargetPoint point;
        point.file = frame.file;
        point.time = frame.times[target];
        const auto observer = observerAt(point.time);
        if (!observer) {
            return fail(observer.error());
        }
        const SkyPos sky = place ? place->sky : request_.targets[target].place;
        point.bjdTdb =
            observer->tdb.julian() + dot(observer->place, sky.vector()) / orbit::kLightAuPerDay;
        point.flags = wordsOf(light.flags);
        if (band.frames[f].extinction > kCloudMagnitudes) {
            point.flags.emplace_back("cloud");
        }
        if (light.flux > 0.0 && light.error > 0.0) {
            point.snr = light.flux / light.error;
        }
        if (point.snr >= measure::kLeastSnr) {
            const double mag =
                ensemble.magnitude(f, instrumental(light.flux, frame.exposure), colour);
            if (std::isfinite(mag)) {
                point.mag = mag;
                point.magError =
                    std::hypot(1.0857 / point.snr, ensemble.floor, ensemble.frames[f].error);
            }
        }
        if (place) {
            point.lightTimeDays = place->distanceAu / orbit::kLightAuPerDay;
            if (point.mag) {
                point.reducedMag =
                    *point.mag - 5.0 * std::log10(place->sunDistanceAu * place->distanceAu);
            }
        }
        if (point.mag && point.flags.empty()) {
            points.push_back({observer->tdb.julian() - point.lightTimeDays,
                              point.reducedMag.value_or(*point.mag),
                              point.magError,
                              0});
        }
        curve.points.push_back(std::move(point));
    }
    if (!points.empty()) {
        // Days from the first point: a Julian date squared has no digits left for minutes.
        const double first = points.front().days;
        for (auto& p : points) {
            p.days -= first;
        }
        curve.period =
            measure::findPeriod(points, request_.period.value_or(measure::usualRange(points)));
    }
    return curve;
}

/// The comparison star most like the first target, to be checked instead of used.
std::optional<std::size_t> checkStarOf(const std::vector<measure::SeriesStar>& series,
                                       const measure::Ensemble& ensemble) {
    std::vector<std::pair<double, std::size_t>> used;
    for (std::size_t s = 0; s < series.size(); ++s) {
        if (ensemble.stars[s].used) {
            used.emplace_back(ensemble.stars[s].mag, s);
        }
    }
    if (used.size() < 6) {
        return std::nullopt;
    }
    std::sort(used.begin(), used.end());
    return used[used.size() / 2].second;
}

Result<BandCurves> CurveMeasurer::curvesOf(catalog::Band band,
                                           const std::vector<Measured>& frames) const {
    auto series = seriesOf(band, frames);
    measure::Ensemble ensemble = measure::fitEnsemble(series, frames.size(), solve::kBodyColour);
    BandCurves curves;
    curves.band = band;
    curves.check =
        request_.set.check ? starAt(request_.set.check->place) : checkStarOf(series, ensemble);
    if (curves.check) {
        series[*curves.check].isFit = false;
        ensemble = measure::fitEnsemble(series, frames.size(), solve::kBodyColour);
    }
    double clearest = -1e9;
    for (const auto& zero : ensemble.frames) {
        clearest = std::isfinite(zero.zeroPoint) ? std::max(clearest, zero.zeroPoint) : clearest;
    }
    for (std::size_t f = 0; f < frames.size(); ++f) {
        curves.frames.push_back({frames[f].file,
                                 ensemble.frames[f].zeroPoint,
                                 ensemble.frames[f].error,
                                 clearest - ensemble.frames[f].zeroPoint});
    }
    for (std::size_t t = 0; t < request_.targets.size(); ++t) {
        auto curve = curveOf(t, frames, curves, ensemble);
        if (!curve) {
            return fail(curve.error());
        }
        curves.targets.push_back(std::move(*curve));
    }
    for (std::size_t s = 0; s < count_; ++s) {
        FieldStar star;
        star.star = field_[s];
        star.catalogueMag = series[s].catalogueMag;
        star.scatter = ensemble.stars[s];
        unsigned flags = 0;
        for (const Measured& frame : frames) {
            flags |= frame.stars[s].flags;
        }
        star.flags = wordsOf(flags);
        const auto& scatter = star.scatter;
        const unsigned spoiled = MeasurableFile::kLightSaturated | MeasurableFile::kLightBlend |
                                 MeasurableFile::kLightDefect;
        star.variable = (flags & spoiled) == 0 && scatter.points > 5 &&
                        scatter.chiSquare > kVariableChiSquare &&
                        scatter.chiSquareWithoutWorst > kVariableAlone &&
                        scatter.rms > kVariableExcess * scatter.expectedRms &&
                        !followsSeeing(series[s], ensemble, frames);
        curves.stars.push_back(std::move(star));
    }
    return curves;
}

Result<LightCurves> CurveMeasurer::measure() {
    if (request_.files.empty()) {
        return fail(ErrorId::FrameNoFrames, "There is no frame to measure.");
    }
    for (std::size_t i = 0; i < request_.files.size(); ++i) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job_.progress("Measuring", static_cast<int>(i), static_cast<int>(request_.files.size()));
        if (auto done = measureFile(request_.files[i]); !done) {
            Error error = done.error();
            error.subject = error.subject.empty() ? request_.files[i].string() : error.subject;
            result_.failures.push_back(std::move(error));
        }
    }
    for (auto& [band, frames] : frames_) {
        std::sort(frames.begin(), frames.end(), [](const Measured& a, const Measured& b) {
            return a.middle < b.middle;
        });
        auto curves = curvesOf(band, frames);
        if (!curves) {
            return fail(curves.error());
        }
        result_.bands.push_back(std::move(*curves));
    }
    return std::move(result_);
}

} // namespace

Result<LightCurves> measureCurves(const CurveRequest& request,
                                  const catalog::StarStore& store,
                                  const SkyTables& tables,
                                  const Job& job) {
    return CurveMeasurer(request, store, tables, job).measure();
}

} // namespace pathmark::night
