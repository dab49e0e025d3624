#include "core/night/precovery.h"

#include "core/base/atomic_file.h"
#include "core/identify/night_bodies.h"
#include "core/night/recovery.h"
#include "core/night/same_field.h"
#include "core/night/sweep_field.h"
#include "core/orbit/place/ephemeris.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <utility>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr double kReachSigmas = 3.0;
constexpr std::size_t kLeastSearched = 4; ///< frames, of which the unmoving sky can be taken out
constexpr int kPlacesAlong = 61;
constexpr double kEdgePixels = 40.0;
constexpr double kMostResidual = 4.0; ///< standard deviations of a place that counts
constexpr double kMostSlip =
    4.0; ///< of its error, of a measured place from the peak along the line
constexpr double kLeastSigmaArcsec = 0.1;
constexpr double kCloudSigmas = 2.5;
constexpr double kMostPlaces =
    300000.0; ///< of a star's width in a cloud, beyond which motions are swept

/// Where the body may be at a time.
struct Reach {
    SkyPos sky;
    orbit::SkyEllipse ellipse;                 ///< one standard deviation
    std::optional<sweep::MotionBounds> motion; ///< of a cloud

    [[nodiscard]] double sigmas() const { return motion ? kCloudSigmas : kReachSigmas; }

    [[nodiscard]] double degreesLong() const { return 2.0 * sigmas() * ellipse.major.degrees(); }

    /// A place so many standard deviations along and across.
    [[nodiscard]] SkyPos at(double along, double across) const {
        const double angle = ellipse.positionAngle.radians();
        const double a = along * ellipse.major.arcsec();
        const double b = across * ellipse.minor.arcsec();
        return offsetBy(sky,
                        a * std::sin(angle) + b * std::cos(angle),
                        a * std::cos(angle) - b * std::sin(angle));
    }

    /// How far off a place is, in standard deviations of the ellipse.
    [[nodiscard]] double sigmasOf(const SkyPos& place) const {
        const PlanePos off = toTangentPlane(sky, place);
        const double angle = ellipse.positionAngle.radians();
        const double along = off.xi * std::sin(angle) + off.eta * std::cos(angle);
        const double across = off.xi * std::cos(angle) - off.eta * std::sin(angle);
        return std::hypot(along / std::max(ellipse.major.radians(), kRadiansPerArcsec),
                          across / std::max(ellipse.minor.radians(), kRadiansPerArcsec));
    }
};

/// Where a judgement's orbit, or its cloud, has the body.
class WhereItIs {
  public:
    static Result<WhereItIs> make(const orbit::OrbitJudgement& judgement,
                                  const OrbitSources& sources,
                                  const Utc& from,
                                  const Utc& to) {
        WhereItIs where(judgement, sources);
        if (!judgement.cloud) {
            auto motion = orbit::Ephemeris::make(judgement.fit->elements,
                                                 sources.tables.planets,
                                                 from.plusSeconds(-60.0),
                                                 to.plusSeconds(60.0));
            if (!motion) {
                return fail(motion.error());
            }
            where.motion_.emplace(std::move(*motion));
        }
        return where;
    }

    [[nodiscard]] Result<Reach> at(const Utc& time) const {
        const auto observer = orbit::observerAt(
            sources_->tables.planets, sources_->recipe.site, time, sources_->tables.turn);
        if (!observer) {
            return fail(observer.error());
        }
        if (motion_) {
            const orbit::Place place = motion_->at(*observer);
            return Reach{place.sky, place.uncertainty.value_or(orbit::SkyEllipse{}), {}};
        }
        const auto bounds =
            orbit::boundsOf(*judgement_->cloud, sources_->tables.planets, *observer);
        sweep::MotionBounds motion;
        motion.leastRate = bounds.leastRate;
        motion.mostRate = bounds.mostRate;
        if (bounds.angleSpread.degrees() < 170.0) {
            motion.from = bounds.positionAngle - bounds.angleSpread;
            motion.to = bounds.positionAngle + bounds.angleSpread;
        }
        return Reach{bounds.sky, bounds.place, motion};
    }

  private:
    WhereItIs(const orbit::OrbitJudgement& judgement, const OrbitSources& sources)
        : judgement_(&judgement), sources_(&sources) {}

    const orbit::OrbitJudgement* judgement_;
    const OrbitSources* sources_;
    std::optional<orbit::Ephemeris> motion_;
};

/// Whether a frame looks at a part of what is in reach.
bool looksThere(const identify::SolvedFrame& frame, const Reach& reach) {
    for (int k = 0; k < kPlacesAlong; ++k) {
        const double along = reach.sigmas() * (2.0 * k / (kPlacesAlong - 1) - 1.0);
        for (const double across : {-1.0, 0.0, 1.0}) {
            const auto pixel = frame.wcs.toPixel(reach.at(along, across * reach.sigmas()));
            if (pixel && pixel->x > -kEdgePixels && pixel->y > -kEdgePixels &&
                pixel->x < frame.width + kEdgePixels && pixel->y < frame.height + kEdgePixels) {
                return true;
            }
        }
    }
    return false;
}

/// Places of a star's width within the cloud.
double placesIn(const Reach& reach, const StackLight& light) {
    const double width = light.starArcsec();
    return std::max(1.0, 2.0 * kReachSigmas * reach.ellipse.major.arcsec() / width) *
           std::max(1.0, 2.0 * kReachSigmas * reach.ellipse.minor.arcsec() / width);
}

/// How much of a light's sky the cloud takes up.
double shareOf(const Reach& reach, const StackLight& light) {
    const double radius = kReachSigmas + 1.0;
    const double cloud = std::numbers::pi * radius * radius *
                         std::max(1.0, reach.ellipse.major.arcsec()) *
                         std::max(1.0, reach.ellipse.minor.arcsec());
    const double scale = light.scaleArcsec();
    return std::clamp(cloud / (scale * scale * light.info.width * light.info.height), 1e-3, 1.0);
}

/// The error of the place of a light over sky alone, in widths of a star over S/N.
///
/// Source   The Cramer-Rao bound of a Moffat profile: core sqrt((2 beta + 1) / (beta (2 beta - 1))) over S/N.
double placeErrorWidths(double beta) {
    const double core = 0.5 / std::sqrt(std::exp2(1.0 / beta) - 1.0);
    return core * std::sqrt((2.0 * beta + 1.0) / (beta * (2.0 * beta - 1.0)));
}

/// A place that is too faint to be measured on a stack: the peak of the sum along the line, as sure as its signal lets it be.
CandidateMeasurement
peakOf(const RecoveredField& field, std::span<const StackLight> lights, double snr) {
    CandidateMeasurement m;
    m.middle = field.candidate.time;
    m.members = field.lights;
    const StackLight& example = lights[field.lights[field.lights.size() / 2]];
    m.measured.sky = field.candidate.sky;
    m.measured.snr = snr;
    m.measured.raErrorArcsec = m.measured.decErrorArcsec =
        placeErrorWidths(example.beta) * example.starArcsec() / std::max(1.0, snr);
    m.measured.magnitude = magnitudeOf(lights.front(), field.candidate.electrons);
    m.measured.magnitudeError = 1.0857 / std::max(1.0, snr);
    return m;
}

/// Whether what was measured on stacks is the light that was found: a faint one's fit may slip to noise beside it. Of several groups in time
/// none stands where the peak, in the middle of all, does.
bool isNearPeak(const std::vector<CandidateMeasurement>& measured,
                const CandidateMeasurement& peak) {
    return measured.size() > 1 ||
           (measured.size() == 1 &&
            separation(measured.front().measured.sky, peak.measured.sky).arcsec() <
                kMostSlip * peak.measured.raErrorArcsec);
}

/// One search after the other, and what they found.
class PrecoverySearch {
  public:
    PrecoverySearch(const PrecoveryRequest& request, fs::path folder, const Job& job)
        : request_(request), folder_(std::move(folder)), job_(job), case_(request.known) {}

    Result<Precovery> make();

  private:
    struct Night {
        std::vector<std::size_t> members; ///< frames, in order of time
        std::vector<std::size_t> reached;
        PrecoveryNight told;
        bool isDone = false;
    };

    /// A place on a night that may be the body's.
    struct Seen {
        double snr = 0.0;
        double log10FalseAlarms = 0.0;
        std::vector<CandidateMeasurement> measured;
    };

    Result<bool> judge();
    Result<bool> layOut();
    [[nodiscard]] Night* nearest();
    [[nodiscard]] double daysFromKnown(const Utc& time) const;
    Result<bool> search(Night& night);
    Result<std::vector<Seen>> seek(std::span<const StackLight> lights, const Reach& reach);
    Result<std::vector<Seen>> seekInCloud(std::span<const StackLight> lights, const Reach& reach);
    Result<bool> takeIn(Night& night, const std::vector<Seen>& seen);
    [[nodiscard]] orbit::Observation observationOf(const CandidateMeasurement& m) const;

    const PrecoveryRequest& request_;
    fs::path folder_;
    const Job& job_;
    BodyOrbitCase case_; ///< with what was found
    std::optional<BodyOrbit> orbit_;
    std::vector<Night> nights_;
    std::vector<orbit::Observation> found_;
    int searches_ = 0;
};

Result<bool> PrecoverySearch::judge() {
    auto judged = judgeBody(request_.sources, case_, std::nullopt, job_.stop);
    if (!judged) {
        return fail(judged.error());
    }
    orbit_ = std::move(*judged);
    return true;
}

double PrecoverySearch::daysFromKnown(const Utc& time) const {
    double least = 1e9;
    for (const orbit::Observation& o : case_.given.observations) {
        least = std::min(least, std::abs(time.secondsSince(o.time)) / kSecondsPerDay);
    }
    return least;
}

/// What of each night that is not done looks where the body may be, by the orbit as it stands.
Result<bool> PrecoverySearch::layOut() {
    Utc from = request_.frames.front().middle;
    Utc to = from;
    for (const auto& frame : request_.frames) {
        from = frame.middle < from ? frame.middle : from;
        to = to < frame.middle ? frame.middle : to;
    }
    const auto where = WhereItIs::make(orbit_->judgement, request_.sources, from, to);
    if (!where) {
        return fail(where.error());
    }
    for (Night& night : nights_) {
        if (night.isDone) {
            continue;
        }
        const auto reach = where->at(night.told.middle);
        if (!reach) {
            return fail(reach.error());
        }
        night.told.sky = reach->sky;
        night.told.majorArcsec = reach->ellipse.major.arcsec();
        night.told.minorArcsec = reach->ellipse.minor.arcsec();
        night.reached.clear();
        night.told.frames = 0;
        if (reach->degreesLong() > request_.mostDegrees) {
            night.told.outcome = PrecoveryOutcome::TooUncertain;
            continue;
        }
        for (const std::size_t i : night.members) {
            const auto own = where->at(request_.frames[i].middle);
            if (own && looksThere(request_.frames[i], *own)) {
                night.reached.push_back(i);
            }
        }
        night.told.frames = night.reached.size();
        night.told.outcome = PrecoveryOutcome::Outside;
    }
    return true;
}

/// The open night nearest to what is known whose frames can be searched.
PrecoverySearch::Night* PrecoverySearch::nearest() {
    Night* best = nullptr;
    for (Night& night : nights_) {
        if (!night.isDone && night.reached.size() >= kLeastSearched &&
            (best == nullptr ||
             daysFromKnown(night.told.middle) < daysFromKnown(best->told.middle))) {
            best = &night;
        }
    }
    return best;
}

Result<std::vector<PrecoverySearch::Seen>>
PrecoverySearch::seekInCloud(std::span<const StackLight> lights, const Reach& reach) {
    std::vector<Seen> seen;
    const auto maps = emptyMaps(sweepViews(lights));
    if (!maps) {
        return fail(maps.error());
    }
    sweep::SweepOptions options;
    // Chance is at work over all of the frames, and what lies outside of the cloud does not count.
    options.falseAlarms = request_.falseAlarms / shareOf(reach, lights.front());
    options.bounds = *reach.motion;
    options.bounds.leastRate = std::max(options.bounds.leastRate, sweep::leastRate(*maps));
    const auto plan = sweep::planOf(*maps, options);
    if (!plan) {
        return fail(plan.error());
    }
    const CandidateStackFiles files = [&](const auto&, std::size_t number, auto members) {
        return CandidateStackFile{
            folder_ / fmt::format("seen_{}_{}_{}.fits", searches_, number, members.front()),
            "a stack of a sweep"};
    };
    const auto swept = sweepLights(lights, options, *plan, request_.groups, files, folder_, job_);
    if (!swept) {
        return fail(swept.error());
    }
    for (std::size_t k = 0; k < swept->found.candidates.size(); ++k) {
        const sweep::Candidate& c = swept->found.candidates[k];
        if (reach.sigmasOf(c.sky) < kReachSigmas + 1.0 && !swept->measured[k].empty()) {
            seen.push_back({c.snr, c.log10FalseAlarms, swept->measured[k]});
        }
    }
    return seen;
}

Result<std::vector<PrecoverySearch::Seen>> PrecoverySearch::seek(std::span<const StackLight> lights,
                                                                 const Reach& reach) {
    const orbit::OrbitJudgement& judgement = orbit_->judgement;
    if (reach.motion && placesIn(reach, lights.front()) > kMostPlaces) {
        return seekInCloud(lights, reach);
    }
    const fs::path own = folder_ / fmt::format("search_{}", searches_);
    if (auto made = makeFolder(own); !made) {
        return fail(made.error());
    }
    const auto recovery = recover(lights,
                                  {judgement.cloud ? nullptr : &judgement.fit->elements,
                                   judgement.cloud ? &*judgement.cloud : nullptr,
                                   request_.sources.tables,
                                   request_.sources.recipe.site},
                                  request_.falseAlarms,
                                  request_.groups,
                                  own,
                                  job_);
    if (!recovery) {
        return fail(recovery.error());
    }
    std::vector<Seen> seen;
    for (const RecoveredBody& body : recovery->found) {
        Seen one{body.snr, body.log10FalseAlarms, {}};
        for (const RecoveredField& field : body.fields) {
            const CandidateMeasurement peak = peakOf(field, lights, body.snr);
            if (isNearPeak(field.measured, peak)) {
                one.measured.insert(
                    one.measured.end(), field.measured.begin(), field.measured.end());
            } else {
                one.measured.push_back(peak);
            }
        }
        if (!one.measured.empty()) {
            seen.push_back(std::move(one));
        }
    }
    return seen;
}

orbit::Observation PrecoverySearch::observationOf(const CandidateMeasurement& m) const {
    orbit::Observation o;
    o.body = case_.given.body;
    o.time = m.middle;
    o.sky = m.measured.sky;
    o.station = request_.sources.recipe.head.stationCode;
    o.mode = "CCD";
    o.sigmaRaArcsec = std::max(kLeastSigmaArcsec, m.measured.raErrorArcsec);
    o.sigmaDecArcsec = std::max(kLeastSigmaArcsec, m.measured.decErrorArcsec);
    o.magnitude = m.measured.magnitude;
    return o;
}

/// The surest of what was seen that an orbit fits together with all that is known.
Result<bool> PrecoverySearch::takeIn(Night& night, const std::vector<Seen>& seen) {
    std::string unfit; // what was surest
    for (const Seen& one : seen) {
        BodyOrbitCase with = case_;
        for (const CandidateMeasurement& m : one.measured) {
            // What is not tonight's stands before it.
            auto& list = with.given.observations;
            const auto place = static_cast<std::ptrdiff_t>(with.given.old);
            list.insert(list.begin() + place, observationOf(m));
            with.ids.insert(with.ids.begin() + place, "precovered " + toIso(m.middle));
            if (!with.given.switchedOff.empty()) {
                with.given.switchedOff.insert(with.given.switchedOff.begin() + place, false);
            }
            ++with.given.old;
        }
        auto judged = judgeBody(request_.sources, with, std::nullopt, job_.stop);
        if (!judged) {
            if (judged.error().id == ErrorId::BaseCancelled) {
                return fail(judged.error());
            }
            unfit = unfit.empty() ? toMessage(judged.error()) : unfit;
            continue;
        }
        double worst = 0.0;
        for (const orbit::Residual& r : judged->judgement.residuals) {
            worst = std::max(worst, std::sqrt(r.chiSquare));
        }
        if (worst >= kMostResidual) {
            if (unfit.empty()) {
                night.told.snr = one.snr;
                unfit =
                    fmt::format("What was seen there ({:.5f} {:+.5f}, S/N {:.1f}) and the other "
                                "places are {:.1f} "
                                "standard deviations apart at the best orbit.",
                                one.measured.front().measured.sky.longitude.degrees(),
                                one.measured.front().measured.sky.latitude.degrees(),
                                one.snr,
                                worst);
            }
            continue;
        }
        case_ = std::move(with);
        orbit_ = std::move(*judged);
        for (const CandidateMeasurement& m : one.measured) {
            found_.push_back(observationOf(m));
        }
        night.told.outcome = PrecoveryOutcome::Found;
        night.told.snr = one.snr;
        night.told.log10FalseAlarms = one.log10FalseAlarms;
        night.told.measured = one.measured;
        return true;
    }
    night.told.outcome = PrecoveryOutcome::NotSeen;
    night.told.words = unfit.empty() ? night.told.words : unfit;
    return true;
}

Result<bool> PrecoverySearch::search(Night& night) {
    night.isDone = true;
    ++searches_;
    std::vector<StackLight> lights;
    for (const std::size_t i : night.reached) {
        if (auto light =
                readStackLight(request_.frames[i].file, request_.wcsFolder, request_.rules)) {
            lights.push_back(std::move(*light));
        } else {
            night.told.words = toMessage(light.error());
        }
    }
    std::sort(lights.begin(), lights.end(), [](const auto& a, const auto& b) {
        return a.middle < b.middle;
    });
    const auto where =
        WhereItIs::make(orbit_->judgement, request_.sources, night.told.middle, night.told.middle);
    const auto reach = where ? where->at(night.told.middle) : fail(where.error());
    if (lights.empty()) { // its words say why
        night.told.outcome = PrecoveryOutcome::Failed;
        return true;
    }
    auto seen = reach ? seek(lights, *reach) : fail(reach.error());
    if (!seen) {
        if (seen.error().id == ErrorId::BaseCancelled || seen.error().id == ErrorId::BaseDiskFull) {
            return fail(seen.error());
        }
        night.told.outcome = PrecoveryOutcome::Failed;
        night.told.words = toMessage(seen.error());
        return true;
    }
    std::sort(seen->begin(), seen->end(), [](const Seen& a, const Seen& b) {
        return a.log10FalseAlarms < b.log10FalseAlarms;
    });
    return takeIn(night, *seen);
}

Result<Precovery> PrecoverySearch::make() {
    std::vector<Utc> times;
    for (const auto& frame : request_.frames) {
        times.push_back(frame.middle);
    }
    for (auto& members : identify::nightsOf(times)) {
        Night night;
        night.told.middle = times[members[members.size() / 2]];
        // The night of what is known is no old one.
        night.isDone = daysFromKnown(night.told.middle) < 0.25;
        night.members = std::move(members);
        if (!night.isDone) {
            nights_.push_back(std::move(night));
        }
    }
    if (auto judged = judge(); !judged) {
        return fail(judged.error());
    }
    while (true) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        if (auto laid = layOut(); !laid) {
            return fail(laid.error());
        }
        Night* next = nearest();
        if (next == nullptr) {
            break;
        }
        job_.progress("Searching old nights", searches_, static_cast<int>(nights_.size()));
        if (auto searched = search(*next); !searched) {
            return fail(searched.error());
        }
    }
    Precovery result;
    for (Night& night : nights_) {
        result.nights.push_back(std::move(night.told));
    }
    if (!orbit_->judgement.cloud) {
        result.fit = orbit_->judgement.fit;
    }
    result.found = std::move(found_);
    return result;
}

} // namespace

const char* name(PrecoveryOutcome outcome) {
    constexpr std::array names{"outside", "too_uncertain", "not_seen", "found", "failed"};
    return names.at(static_cast<std::size_t>(outcome));
}

Result<Precovery>
precover(const PrecoveryRequest& request, const fs::path& folder, const Job& job) {
    if (request.frames.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to search.");
    }
    return PrecoverySearch(request, folder, job).make();
}

} // namespace pathmark::night
