#include "core/night/over_years.h"

#include "core/catalog/written_table.h"
#include "core/night/night_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kLeastForMotion = 3; ///< lights in which a body is told from a flaw

/// A night file that is there: a missing one is not made.
Result<NightFile> openExisting(const fs::path& path) {
    std::error_code ignored;
    return fs::is_regular_file(path, ignored)
               ? NightFile::open(path)
               : fail(ErrorId::NightFileDamaged, "There is no such night file.", path.string());
}

std::string orNothing(const std::optional<double>& value, int digits) {
    return value ? fmt::format("{:.{}f}", *value, digits) : std::string();
}

std::string written(const catalog::WrittenTable& table, bool isVoTable) {
    return isVoTable ? catalog::toVoTable(table) : catalog::toCsv(table);
}

std::optional<double> limitOf(std::span<const LightRecord* const> lights) {
    std::vector<double> limits;
    for (const LightRecord* light : lights) {
        if (light->photometry) {
            limits.push_back(light->photometry->limitingMag);
        }
    }
    if (limits.empty()) {
        return std::nullopt;
    }
    const auto middle = limits.begin() + static_cast<std::ptrdiff_t>(limits.size() / 2);
    std::nth_element(limits.begin(), middle, limits.end());
    return *middle;
}

FieldOverYears fieldOf(const fs::path& file, std::span<const LightRecord* const> lights) {
    FieldOverYears field;
    field.nightFile = file;
    field.title = lights.front()->seriesTitle;
    field.first = lights.front()->middle;
    field.last = lights.back()->middle;
    field.lights = lights.size();
    field.filter = lights.front()->filter;
    field.limit = limitOf(lights);
    for (const LightRecord* light : lights) {
        if (!light->solved() || light->isRelative()) {
            continue;
        }
        if (field.solved++ == 0) {
            const double scale = light->wcs->scaleArcsec() / 3600.0;
            field.middle = light->skyMiddle();
            field.widthDegrees = scale * light->width;
            field.heightDegrees = scale * light->height;
        }
    }
    field.search = field.solved >= kLeastForMotion ? FieldSearch::FrameByFrame : FieldSearch::Never;
    return field;
}

} // namespace

const char* name(FieldSearch search) {
    constexpr std::array names{"never", "frame_by_frame", "swept"};
    return names.at(static_cast<std::size_t>(search));
}

std::optional<double> BodyOverYears::reducedMagnitude() const {
    if (!measured.magnitude || !distances) {
        return std::nullopt;
    }
    return *measured.magnitude - 5.0 * std::log10(distances->sunAu * distances->observerAu);
}

std::vector<fs::path> nightFilesIn(std::span<const fs::path> given) {
    std::set<fs::path> files;
    for (const fs::path& one : given) {
        std::error_code status;
        if (!fs::is_directory(one, status)) {
            files.insert(one);
            continue;
        }
        for (auto at = fs::recursive_directory_iterator(
                 one, fs::directory_options::skip_permission_denied, status);
             !status && at != fs::recursive_directory_iterator();
             at.increment(status)) {
            if (at->path().extension() == ".pmnight" && at->path().filename().string()[0] != '.') {
                files.insert(at->path());
            }
        }
    }
    return {files.begin(), files.end()};
}

Result<std::vector<BodyOverYears>>
bodyOverYears(const fs::path& nightFile,
              const BodyId& body,
              const std::function<std::optional<BodyDistances>(const Utc&)>& distancesAt) {
    const auto night = openExisting(nightFile);
    const auto measurements = night ? night->measurements() : fail(night.error());
    if (!measurements) {
        return fail(measurements.error());
    }
    std::vector<BodyOverYears> curve;
    for (const MeasurementRecord& m : *measurements) {
        if (m.body == body && m.state == MeasurementState::Kept) {
            curve.push_back({nightFile, m, {}});
            if (distancesAt) {
                curve.back().distances = distancesAt(m.time);
            }
        }
    }
    return curve;
}

Result<std::vector<FieldOverYears>> fieldsOfNight(const fs::path& nightFile) {
    const auto night = openExisting(nightFile);
    const auto lights = night ? night->lights() : fail(night.error());
    const auto sweeps = lights ? night->sweeps() : fail(lights.error());
    if (!sweeps) {
        return fail(sweeps.error());
    }
    std::map<SeriesId, std::vector<const LightRecord*>> series;
    for (const LightRecord& light : *lights) {
        series[light.series].push_back(&light);
    }
    std::vector<FieldOverYears> fields;
    for (auto& [id, members] : series) {
        std::sort(members.begin(), members.end(), [](const auto* a, const auto* b) {
            return a->middle < b->middle;
        });
        fields.push_back(fieldOf(nightFile, members));
        for (const SweepRecord& sweep : *sweeps) {
            if (sweep.series == id) {
                fields.back().search = FieldSearch::Swept;
                fields.back().sweptTo = sweep.depth;
            }
        }
    }
    std::sort(fields.begin(), fields.end(), [](const auto& a, const auto& b) {
        return a.first < b.first;
    });
    return fields;
}

std::string tableOf(std::span<const BodyOverYears> curve, bool isVoTable) {
    catalog::WrittenTable table;
    table.name = "body_over_years";
    table.columns = {{"mid_time", "char", "", "time.epoch;meta.main"},
                     {"mag", "double", "mag", "phot.mag"},
                     {"mag_err", "double", "mag", "stat.error;phot.mag"},
                     {"band", "char", "", "meta.id;instr.bandpass"},
                     {"reduced_mag", "double", "mag", "phot.mag;phys.magAbs"},
                     {"phase", "double", "deg", "pos.phaseAng"},
                     {"sun_distance", "double", "AU", "pos.distance;pos.heliocentric"},
                     {"distance", "double", "AU", "pos.distance"},
                     {"limit", "double", "mag", "phot.mag;stat.max"},
                     {"frames", "double", "", "meta.number"},
                     {"snr", "double", "", "stat.snr"},
                     {"measurement", "char", "", "meta.id"},
                     {"night", "char", "", "meta.id;meta.file"}};
    for (const BodyOverYears& one : curve) {
        const MeasurementRecord& m = one.measured;
        const auto ofOrbit = [&](auto value, int digits) {
            return one.distances ? fmt::format("{:.{}f}", value(*one.distances), digits)
                                 : std::string();
        };
        table.rows.push_back({toIso(m.time),
                              m.seen ? orNothing(m.magnitude, 3) : "",
                              m.seen && m.magnitude ? fmt::format("{:.3f}", m.magnitudeError) : "",
                              m.band,
                              m.seen ? orNothing(one.reducedMagnitude(), 3) : "",
                              ofOrbit([](const BodyDistances& d) { return d.phase.degrees(); }, 3),
                              ofOrbit([](const BodyDistances& d) { return d.sunAu; }, 5),
                              ofOrbit([](const BodyDistances& d) { return d.observerAu; }, 5),
                              m.seen ? "" : orNothing(m.limit, 2),
                              std::to_string(m.frames),
                              fmt::format("{:.1f}", m.snr),
                              m.id,
                              one.nightFile.string()});
    }
    return written(table, isVoTable);
}

std::string tableOf(std::span<const FieldOverYears> fields, bool isVoTable) {
    catalog::WrittenTable table;
    table.name = "fields_over_years";
    table.columns = {{"first", "char", "", "time.start"},
                     {"last", "char", "", "time.end"},
                     {"ra", "double", "deg", "pos.eq.ra;meta.main"},
                     {"dec", "double", "deg", "pos.eq.dec;meta.main"},
                     {"width", "double", "deg", "pos.angDistance"},
                     {"height", "double", "deg", "pos.angDistance"},
                     {"lights", "double", "", "meta.number"},
                     {"solved", "double", "", "meta.number"},
                     {"filter", "char", "", "meta.id;instr.filter"},
                     {"limiting_mag", "double", "mag", "phot.mag;stat.max"},
                     {"searched", "char", "", "meta.code"},
                     {"swept_to", "double", "mag", "phot.mag"},
                     {"series", "char", "", "meta.title"},
                     {"night", "char", "", "meta.id;meta.file"}};
    for (const FieldOverYears& field : fields) {
        const auto ofSolved = [&](double value, int digits) {
            return field.solved > 0 ? fmt::format("{:.{}f}", value, digits) : std::string();
        };
        table.rows.push_back({toIso(field.first),
                              toIso(field.last),
                              ofSolved(field.middle.longitude.degrees(), 5),
                              ofSolved(field.middle.latitude.degrees(), 5),
                              ofSolved(field.widthDegrees, 4),
                              ofSolved(field.heightDegrees, 4),
                              std::to_string(field.lights),
                              std::to_string(field.solved),
                              field.filter,
                              orNothing(field.limit, 2),
                              name(field.search),
                              orNothing(field.sweptTo, 2),
                              field.title,
                              field.nightFile.string()});
    }
    return written(table, isVoTable);
}

} // namespace pathmark::night
