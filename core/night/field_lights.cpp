#include "core/night/field_lights.h"

#include "core/base/parallel.h"
#include "core/orbit/motion/constants.h"

#include <algorithm>
#include <cmath>
#include <mutex>

namespace pathmark::night {
namespace {

constexpr std::size_t kMostStars = 800;
constexpr double kFaintAllowance = 1.3; ///< magnitudes above the limit of 5 sigma: S/N 16
constexpr std::size_t kFilesAtOnce = 2; ///< one is read while another is measured

class LightMeasurer {
  public:
    LightMeasurer(const FieldRequest& request,
                  const catalog::StarStore& store,
                  const SkyTables& tables,
                  const Job& job)
        : request_(request), store_(store), tables_(tables), job_(job) {}

    Result<FieldLights> measure();

  private:
    /// What became of a file; a frame of a band that is not wanted is neither.
    struct Outcome {
        std::optional<catalog::Band> band;
        LightFrame frame;
        std::optional<Error> error;
    };

    void measureFirst();
    void measureRest();
    void measureFile(std::size_t index);
    [[nodiscard]] Result<bool> chooseStars(const MeasurableFile& first);
    [[nodiscard]] Result<MeasurableFile> open(const std::filesystem::path& path) const;
    [[nodiscard]] Result<orbit::Observer> observerAt(const Utc& time) const;
    [[nodiscard]] Result<TargetLight> lightOf(const MeasurableFile& file,
                                              const CurveTarget& target) const;
    [[nodiscard]] Result<LightFrame> frameOf(const MeasurableFile& file) const;
    void tell();

    const FieldRequest& request_;
    const catalog::StarStore& store_;
    const SkyTables& tables_;
    const Job& job_;
    std::vector<catalog::Star> field_; ///< all of the catalogue there, the brightest first
    std::size_t count_ = 0;            ///< of those that are measured
    std::vector<Outcome> outcomes_;    ///< by file
    std::size_t next_ = 0;             ///< file after those that the field was chosen by
    std::mutex telling_;
    int begun_ = 0;
};

Result<orbit::Observer> LightMeasurer::observerAt(const Utc& time) const {
    // Without a site the Earth's centre: 0.02 s of light, and the parallax of what is near.
    return request_.site ? orbit::observerAt(tables_.planets, *request_.site, time, tables_.turn)
                         : orbit::observerInSpace(tables_.planets, Vec3{}, time);
}

Result<bool> LightMeasurer::chooseStars(const MeasurableFile& first) {
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

Result<MeasurableFile> LightMeasurer::open(const std::filesystem::path& path) const {
    auto file = MeasurableFile::open(path, request_.wcsFolder, request_.rules, &store_);
    if (file && !file->photometry()) {
        return fail(ErrorId::SolveTooFewStars,
                    "Too few stars of the catalogue are on it to tell its zero point.",
                    path.string());
    }
    return file;
}

Result<TargetLight> LightMeasurer::lightOf(const MeasurableFile& file,
                                           const CurveTarget& target) const {
    measure::Target sought;
    sought.searchArcsec = std::max(5.0, 2.0 * file.fwhmArcsec());
    TargetLight result;
    result.time = *file.info().midExposure;
    if (target.elements) {
        auto motion = orbit::Ephemeris::make(*target.elements,
                                             tables_.planets,
                                             result.time.plusSeconds(-60.0),
                                             result.time.plusSeconds(60.0));
        const auto observer = observerAt(result.time);
        if (!motion || !observer) {
            return fail(!motion ? motion.error() : observer.error());
        }
        result.time = file.timeAt(motion->directionFrom(*observer));
        const auto then = observerAt(result.time);
        if (!then) {
            return fail(then.error());
        }
        result.place = motion->at(*then);
        sought.predicted = result.place->sky;
        sought.xiRateArcsecPerMin = result.place->xiRateArcsecPerMin;
        sought.etaRateArcsecPerMin = result.place->etaRateArcsecPerMin;
        sought.trailSeconds = file.info().exposureSeconds;
    } else {
        sought.predicted = target.place;
        sought.isPlace = true;
        result.time = file.timeAt(target.place);
    }
    result.light = file.bodyLight(sought, field_);
    const auto observer = observerAt(result.time);
    if (!observer) {
        return fail(observer.error());
    }
    result.julianTdb = observer->tdb.julian();
    result.bjdTdb =
        result.julianTdb + dot(observer->place, sought.predicted.vector()) / orbit::kLightAuPerDay;
    return result;
}

Result<LightFrame> LightMeasurer::frameOf(const MeasurableFile& file) const {
    LightFrame frame;
    frame.file = file.info().path;
    frame.middle = *file.info().midExposure;
    frame.exposureSeconds = file.info().exposureSeconds;
    frame.fwhmArcsec = file.fwhmArcsec();
    frame.stars = file.starLights(field_, count_);
    for (const CurveTarget& target : request_.targets) {
        auto light = lightOf(file, target);
        if (!light) {
            return fail(light.error());
        }
        frame.targets.push_back(std::move(*light));
    }
    return frame;
}

void LightMeasurer::tell() {
    const std::scoped_lock lock(telling_);
    job_.progress("Measuring", begun_++, static_cast<int>(request_.files.size()));
}

/// The field is chosen by the first file that can be used.
void LightMeasurer::measureFile(std::size_t index) {
    tell();
    Outcome& outcome = outcomes_[index];
    const auto take = [&]() -> Result<bool> {
        auto file = open(request_.files[index]);
        if (!file) {
            return fail(file.error());
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
        auto frame = frameOf(*file);
        if (!frame) {
            return fail(frame.error());
        }
        outcome.frame = std::move(*frame);
        outcome.frame.file = request_.files[index];
        outcome.band = band;
        return true;
    };
    if (auto taken = take(); !taken) {
        outcome.error = taken.error();
        if (outcome.error->subject.empty()) {
            outcome.error->subject = request_.files[index].string();
        }
    }
}

void LightMeasurer::measureFirst() {
    while (next_ < request_.files.size() && field_.empty() && !job_.stop.stop_requested()) {
        measureFile(next_++);
    }
}

void LightMeasurer::measureRest() {
    overlapFor(request_.files.size() - next_, kFilesAtOnce, [&](std::size_t k) {
        if (!job_.stop.stop_requested()) {
            measureFile(next_ + k);
        }
    });
}

Result<FieldLights> LightMeasurer::measure() {
    if (request_.files.empty()) {
        return fail(ErrorId::FrameNoFrames, "There is no frame to measure.");
    }
    outcomes_.resize(request_.files.size());
    measureFirst();
    measureRest();
    if (job_.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    FieldLights lights;
    lights.targets = request_.targets;
    for (Outcome& outcome : outcomes_) {
        if (outcome.error) {
            lights.failures.push_back(std::move(*outcome.error));
        } else if (outcome.band) {
            lights.byBand[*outcome.band].push_back(std::move(outcome.frame));
        }
    }
    for (auto& [band, frames] : lights.byBand) {
        std::stable_sort(frames.begin(), frames.end(), [](const auto& a, const auto& b) {
            return a.middle < b.middle;
        });
    }
    field_.resize(count_);
    lights.stars = std::move(field_);
    return lights;
}

} // namespace

Result<FieldLights> measureFieldLights(const FieldRequest& request,
                                       const catalog::StarStore& store,
                                       const SkyTables& tables,
                                       const Job& job) {
    return LightMeasurer(request, store, tables, job).measure();
}

} // namespace pathmark::night
