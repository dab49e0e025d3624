#include "core/night/steps/own_stars.h"

#include "core/catalog/store_writer.h"
#include "core/night/steps/frame_steps.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace pathmark::night {
namespace {

/// So many sources make patterns that are no chance.
constexpr int kFewestSources = 12;
/// A star stands within so many pixels of where another light of the series has it.
constexpr double kSamePixels = 2.0;
/// Fields without a pointing are laid so far apart.
constexpr double kApartDegrees = 10.0;
constexpr double kGuessedScaleArcsec = 1.0;
constexpr double kZeroPoint = 25.0;

/// The fields so far, as the store that frames are laid on.
class OwnFields {
  public:
    explicit OwnFields(CalibrationRun& run) : run_(run), folder_(run.out / kOwnStarsFolder) {}

    /// Lays a series on the fields that are there, or makes one of its own.
    Result<bool> add(const Series& series, const std::vector<const LightRecord*>& lights);

    [[nodiscard]] bool isEmpty() const { return rows_.empty(); }

  private:
    [[nodiscard]] FrameWork workOf(const Series& series, const LightRecord& light) const;
    Result<std::optional<frame::Wcs>> solve(const Series& series, const LightRecord& light) const;
    [[nodiscard]] frame::Wcs wcsFor(const frame::FrameInfo& info, const LightRecord& light) const;
    void addRows(const LightRecord& light,
                 const std::vector<SourceRecord>& sources,
                 const frame::Wcs& wcs);
    Result<bool> dropMovers(const Series& series, const LightRecord& last, std::size_t first);

    CalibrationRun& run_;
    std::filesystem::path folder_;
    std::vector<catalog::StarRow> rows_;
    int made_ = 0;
};

const frame::FrameInfo& infoOf(const Series& series, const LightRecord& light) {
    return *std::find_if(series.lights.frames.begin(),
                         series.lights.frames.end(),
                         [&](const auto& info) { return info.id == light.frame; });
}

FrameWork OwnFields::workOf(const Series& series, const LightRecord& light) const {
    FrameWork work(run_, nullptr, series, infoOf(series, light));
    work.record = light;
    work.target = light.calibrated;
    return work;
}

frame::Wcs OwnFields::wcsFor(const frame::FrameInfo& info, const LightRecord& light) const {
    frame::Wcs wcs;
    wcs.referenceSky =
        info.pointing.value_or(skyDegrees(std::fmod(kApartDegrees * made_, 360.0), 0.0));
    wcs.referencePixel = {0.5 * (light.width - 1), 0.5 * (light.height - 1)};
    const double binned = static_cast<double>(info.width) / std::max(1, light.width);
    const double scale =
        Angle::arcsec(info.scaleArcsec().value_or(kGuessedScaleArcsec / binned) * binned).radians();
    wcs.cd = {-scale, 0.0, 0.0, scale};
    return wcs;
}

/// Where a light lies on the fields so far; nothing: on none.
Result<std::optional<frame::Wcs>> OwnFields::solve(const Series& series,
                                                   const LightRecord& light) const {
    if (rows_.empty()) {
        return std::nullopt;
    }
    if (auto written = catalog::writeStore(folder_, kOwnStars, rows_); !written) {
        return fail(written.error());
    }
    const auto store = catalog::StarStore::open(folder_, kOwnStars);
    if (!store) {
        return fail(store.error());
    }
    solve::CataloguePatterns patterns(folder_, kOwnStars, *store, run_.job);
    const auto loaded = loadCalibration(run_, series);
    if (!loaded) {
        return fail(loaded.error());
    }
    FrameWork work = workOf(series, light);
    work.loaded = &*loaded;
    auto found = work.needDetection();
    if (!found || !*found) {
        return found ? Result<std::optional<frame::Wcs>>(std::nullopt) : fail(found.error());
    }
    auto solution = solve::solveFrame(*work.detection,
                                      {light.width, light.height},
                                      light.middle,
                                      solveHintOf(work),
                                      {&*store, &patterns, run_.job.stop});
    if (!solution && solution.error().id == ErrorId::BaseCancelled) {
        return fail(solution.error());
    }
    return solution ? std::optional(solution->wcs) : std::nullopt;
}

void OwnFields::addRows(const LightRecord& light,
                        const std::vector<SourceRecord>& sources,
                        const frame::Wcs& wcs) {
    constexpr auto none = std::numeric_limits<float>::quiet_NaN();
    const double seconds = std::max(1.0, light.exposureSeconds);
    const double scale = wcs.scaleArcsec();
    for (const SourceRecord& source : sources) {
        if (!(source.flux > 0.0) || (source.flags & detect::kSharp) != 0) {
            continue;
        }
        const SkyPos sky = wcs.toSky(source.pixel);
        catalog::StarRow row;
        row.sourceId = static_cast<std::int64_t>(rows_.size()) + 1;
        row.raDegrees = normalised(sky.longitude).degrees();
        row.decDegrees = sky.latitude.degrees();
        row.raErrorMas = row.decErrorMas = static_cast<float>(1000.0 * scale * source.sigmaPixels);
        row.parallaxMas = row.pmRaMasPerYear = row.pmDecMasPerYear = none;
        row.magG = static_cast<float>(kZeroPoint - 2.5 * std::log10(source.flux / seconds));
        row.magBp = row.magRp = row.ruwe = none;
        rows_.push_back(row);
    }
}

/// Takes the rows from `first` on away that the last light of the series covers and does not show.
Result<bool>
OwnFields::dropMovers(const Series& series, const LightRecord& last, std::size_t first) {
    const auto wcs = solve(series, last);
    const auto sources = run_.file.sources(last);
    if (!wcs || !sources) {
        return fail(wcs ? sources.error() : wcs.error());
    }
    if (!*wcs) {
        return true;
    }
    std::erase_if(rows_, [&, index = std::size_t{0}](const catalog::StarRow& row) mutable {
        if (index++ < first) {
            return false;
        }
        const auto pixel = (*wcs)->toPixel(skyDegrees(row.raDegrees, row.decDegrees));
        const bool isCovered = pixel && pixel->x > 0.0 && pixel->y > 0.0 &&
                               pixel->x < last.width - 1 && pixel->y < last.height - 1;
        return isCovered &&
               std::none_of(sources->begin(), sources->end(), [&](const SourceRecord& other) {
                   return std::hypot(other.pixel.x - pixel->x, other.pixel.y - pixel->y) <
                          kSamePixels;
               });
    });
    return true;
}

Result<bool> OwnFields::add(const Series& series, const std::vector<const LightRecord*>& lights) {
    const auto first = std::find_if(lights.begin(), lights.end(), [](const LightRecord* light) {
        return light->sources >= kFewestSources;
    });
    if (first == lights.end()) {
        return true;
    }
    const auto known = solve(series, **first);
    if (!known) {
        return fail(known.error());
    }
    if (*known) {
        return true;
    }
    const auto sources = run_.file.sources(**first);
    if (!sources) {
        return fail(sources.error());
    }
    const std::size_t before = rows_.size();
    addRows(**first, *sources, wcsFor(infoOf(series, **first), **first));
    ++made_;
    const LightRecord& last =
        **std::find_if(lights.rbegin(), lights.rend(), [](const LightRecord* light) {
            return light->sources >= kFewestSources;
        });
    if (&last != *first) {
        if (auto dropped = dropMovers(series, last, before); !dropped) {
            return dropped;
        }
    }
    return catalog::writeStore(folder_, kOwnStars, rows_);
}

} // namespace

Result<bool> makeOwnStars(CalibrationRun& run) {
    const std::array steps{calibrateStep(), detectStep()};
    const auto lights = passFrames(run, nullptr, steps);
    if (!lights) {
        return fail(lights.error());
    }
    OwnFields fields(run);
    for (const Series& series : run.series) {
        std::vector<const LightRecord*> own;
        for (const LightRecord& light : *lights) {
            if (std::any_of(series.lights.frames.begin(),
                            series.lights.frames.end(),
                            [&](const auto& info) { return info.id == light.frame; })) {
                own.push_back(&light);
            }
        }
        std::sort(own.begin(), own.end(), [](const LightRecord* a, const LightRecord* b) {
            return a->middle < b->middle;
        });
        if (auto added = fields.add(series, own); !added) {
            return added;
        }
    }
    if (fields.isEmpty()) {
        return fail(ErrorId::NightNoLights,
                    "No light shows stars enough to be laid on another. Look at the frames, or "
                    "give a star catalogue.");
    }
    run.job.message("There is no star catalogue: the frames are laid on each other by their own "
                    "stars. Places and brightness are relative, and nothing is reported.");
    return true;
}

} // namespace pathmark::night
