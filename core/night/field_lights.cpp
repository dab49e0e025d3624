#include "core/night/field_lights.h"

#include "core/base/parallel.h"
#include "core/identify/solved_frame.h"
#include "core/orbit/motion/constants.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <mutex>
#include <utility>

namespace pathmark::night {
namespace {

constexpr std::size_t kMostStars = 800;
constexpr double kFaintAllowance = 1.3; ///< magnitudes above the limit of 5 sigma: S/N 16
constexpr std::size_t kFilesAtOnce = 2; ///< one is read while another is measured

constexpr double kFieldShare = 0.33; ///< of a frame: middles farther apart are of two fields

/// What became of a file; a frame of a band that is not wanted is neither.
struct Outcome {
    std::optional<catalog::Band> band;
    LightFrame frame;
    std::optional<Error> error;
};

/// Tells a job of files as they are begun, from any thread.
class Teller {
  public:
    Teller(const Job& job, std::size_t files) : job_(job), files_(static_cast<int>(files)) {}

    void begin() {
        const std::scoped_lock lock(telling_);
        job_.progress("Measuring", begun_++, files_);
    }

    [[nodiscard]] bool isStopped() const { return job_.stop.stop_requested(); }

  private:
    const Job& job_;
    int files_;
    std::mutex telling_;
    int begun_ = 0;
};

/// Measures the files of one field.
class FieldMeasurer {
  public:
    FieldMeasurer(const FieldRequest& request,
                  std::vector<std::filesystem::path> files,
                  const catalog::StarStore& store,
                  const SkyTables& tables,
                  Teller& teller)
        : request_(request), files_(std::move(files)), store_(store), tables_(tables),
          teller_(teller), outcomes_(files_.size()) {}

    void measure() {
        measureFirst();
        measureRest();
    }

    std::vector<Outcome>& outcomes() { return outcomes_; }

    /// The stars that were measured.
    [[nodiscard]] std::span<const catalog::Star> stars() const {
        return std::span(field_).first(count_);
    }

  private:
    void measureFirst();
    void measureRest();
    void measureFile(std::size_t index);
    [[nodiscard]] Result<bool> chooseStars(const MeasurableFile& first);
    [[nodiscard]] Result<MeasurableFile> open(const std::filesystem::path& path) const;
    [[nodiscard]] Result<orbit::Observer> observerAt(const Utc& time) const;
    [[nodiscard]] Result<TargetLight> lightOf(const MeasurableFile& file,
                                              const CurveTarget& target) const;
    [[nodiscard]] Result<LightFrame> frameOf(const MeasurableFile& file) const;

    const FieldRequest& request_;
    std::vector<std::filesystem::path> files_;
    const catalog::StarStore& store_;
    const SkyTables& tables_;
    Teller& teller_;
    std::vector<catalog::Star> field_; ///< all of the catalogue there, the brightest first
    std::size_t count_ = 0;            ///< of those that are measured
    std::vector<Outcome> outcomes_;    ///< by file
    std::size_t next_ = 0;             ///< file after those that the field was chosen by
};

Result<orbit::Observer> FieldMeasurer::observerAt(const Utc& time) const {
    // Without a site the Earth's centre: 0.02 s of light, and the parallax of what is near.
    return request_.site ? orbit::observerAt(tables_.planets, *request_.site, time, tables_.turn)
                         : orbit::observerInSpace(tables_.planets, Vec3{}, time);
}

Result<bool> FieldMeasurer::chooseStars(const MeasurableFile& first) {
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

Result<MeasurableFile> FieldMeasurer::open(const std::filesystem::path& path) const {
    auto file = MeasurableFile::open(path, request_.wcsFolder, request_.rules, &store_);
    if (file && !file->photometry()) {
        return fail(ErrorId::SolveTooFewStars,
                    "Too few stars of the catalogue are on it to tell its zero point.",
                    path.string());
    }
    return file;
}

Result<TargetLight> FieldMeasurer::lightOf(const MeasurableFile& file,
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
    result.light = file.bodyLight(sought, field_, request_.method);
    const auto observer = observerAt(result.time);
    if (!observer) {
        return fail(observer.error());
    }
    result.julianTdb = observer->tdb.julian();
    result.bjdTdb =
        result.julianTdb + dot(observer->place, sought.predicted.vector()) / orbit::kLightAuPerDay;
    return result;
}

Result<LightFrame> FieldMeasurer::frameOf(const MeasurableFile& file) const {
    LightFrame frame;
    frame.file = file.info().path;
    frame.middle = *file.info().midExposure;
    frame.exposureSeconds = file.info().exposureSeconds;
    frame.fwhmArcsec = file.fwhmArcsec();
    frame.stars = file.starLights(field_, count_, request_.method);
    for (const CurveTarget& target : request_.targets) {
        auto light = lightOf(file, target);
        if (!light) {
            return fail(light.error());
        }
        frame.targets.push_back(*light);
    }
    return frame;
}

/// The field is chosen by the first file that can be used.
void FieldMeasurer::measureFile(std::size_t index) {
    teller_.begin();
    Outcome& outcome = outcomes_[index];
    const auto take = [&]() -> Result<bool> {
        auto file = open(files_[index]);
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
        outcome.frame.file = files_[index];
        outcome.band = band;
        return true;
    };
    if (auto taken = take(); !taken) {
        outcome.error = taken.error();
        if (outcome.error->subject.empty()) {
            outcome.error->subject = files_[index].string();
        }
    }
}

void FieldMeasurer::measureFirst() {
    while (next_ < files_.size() && field_.empty() && !teller_.isStopped()) {
        measureFile(next_++);
    }
}

void FieldMeasurer::measureRest() {
    overlapFor(files_.size() - next_, kFilesAtOnce, [&](std::size_t k) {
        if (!teller_.isStopped()) {
            measureFile(next_ + k);
        }
    });
}

/// The files of each field, in their order; what has no solution is of the first and will say so.
std::vector<std::vector<std::filesystem::path>> fieldsOf(const FieldRequest& request) {
    std::vector<std::vector<std::filesystem::path>> fields;
    std::vector<SkyPos> middles;
    for (const auto& file : request.files) {
        const auto solved = identify::readSolvedFrame(file, request.wcsFolder, request.rules);
        std::size_t at = 0;
        if (solved) {
            const SkyPos middle =
                solved->wcs.toSky({0.5 * (solved->width - 1), 0.5 * (solved->height - 1)});
            const double most =
                kFieldShare * solved->wcs.scaleArcsec() * std::min(solved->width, solved->height);
            while (at < middles.size() && separation(middles[at], middle).arcsec() > most) {
                ++at;
            }
            if (at == middles.size()) {
                middles.push_back(middle);
            }
        }
        fields.resize(std::max(fields.size(), at + 1));
        fields[at].push_back(file);
    }
    return fields;
}

/// Puts what was measured of one field after another together.
class FieldJoin {
  public:
    explicit FieldJoin(FieldLights& lights) : lights_(lights) {}

    void add(int field, FieldMeasurer& measured) {
        std::vector<std::size_t> places;
        for (const catalog::Star& star : measured.stars()) {
            const auto [known, isNew] = placeOf_.emplace(star.sourceId, lights_.stars.size());
            if (isNew) {
                lights_.stars.push_back(star);
            }
            places.push_back(known->second);
        }
        for (Outcome& outcome : measured.outcomes()) {
            if (outcome.error) {
                lights_.failures.push_back(std::move(*outcome.error));
            } else if (outcome.band) {
                outcome.frame.field = field;
                auto stars = std::exchange(outcome.frame.stars, {});
                for (std::size_t i = 0; i < stars.size(); ++i) {
                    setAt(outcome.frame.stars, places[i], stars[i]);
                }
                lights_.byBand[*outcome.band].push_back(std::move(outcome.frame));
            }
        }
    }

    /// Every frame gets a light for every star.
    void finish() {
        for (auto& [band, frames] : lights_.byBand) {
            for (LightFrame& frame : frames) {
                frame.stars.resize(lights_.stars.size(), kElsewhere);
            }
            std::stable_sort(frames.begin(), frames.end(), [](const auto& a, const auto& b) {
                return a.middle < b.middle;
            });
        }
    }

  private:
    static constexpr MeasurableFile::PlaceLight kElsewhere{
        std::numeric_limits<double>::quiet_NaN(), 0.0, MeasurableFile::kLightElsewhere};

    static void setAt(std::vector<MeasurableFile::PlaceLight>& stars,
                      std::size_t place,
                      const MeasurableFile::PlaceLight& light) {
        stars.resize(std::max(stars.size(), place + 1), kElsewhere);
        stars[place] = light;
    }

    FieldLights& lights_;
    std::map<std::int64_t, std::size_t> placeOf_;
};

} // namespace

Result<FieldLights> measureFieldLights(const FieldRequest& request,
                                       const catalog::StarStore& store,
                                       const SkyTables& tables,
                                       const Job& job) {
    if (request.files.empty()) {
        return fail(ErrorId::FrameNoFrames, "There is no frame to measure.");
    }
    FieldLights lights;
    lights.targets = request.targets;
    FieldJoin join(lights);
    Teller teller(job, request.files.size());
    int field = 0;
    for (auto& files : fieldsOf(request)) {
        FieldMeasurer measurer(request, std::move(files), store, tables, teller);
        measurer.measure();
        join.add(field++, measurer);
    }
    if (job.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    join.finish();
    return lights;
}

} // namespace pathmark::night
