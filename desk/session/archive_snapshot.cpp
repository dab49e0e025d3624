#include "desk/session/archive_snapshot.h"

#include "core/base/parallel.h"
#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "core/identify/archive_table.h"
#include "core/identify/bodies_in_frame.h"
#include "core/identify/solved_frame.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

/// Five sigma at the limit; every magnitude is a factor of 2.5.
std::optional<double> snrOf(const identify::ArchiveRow& row) {
    if (!row.magnitude || !row.limitingMagnitude) {
        return std::nullopt;
    }
    return identify::kReachSnr * std::pow(10.0, 0.4 * (*row.limitingMagnitude - *row.magnitude));
}

/// A list names frames by their files and no more is read of them: within it a file is a frame.
night::FrameId frameOf(const fs::path& file) {
    return night::FrameId(file.string());
}

night::PredictionRecord predictionOf(const identify::ArchiveRow& row, const fs::path& file) {
    night::PredictionRecord p;
    p.title = row.body;
    p.body = orbit::BodyId::of(row.body);
    p.frame = frameOf(file);
    p.file = file;
    p.time = row.middle;
    p.sky = row.sky;
    p.pixel = frame::fromFits({row.x, row.y});
    p.rateArcsecPerMin = row.rateArcsecPerMin;
    p.positionAngleDegrees = row.positionAngleDegrees;
    p.magnitude = row.magnitude;
    p.snr = snrOf(row);
    return p;
}

/// What the header says of a frame's place, where the file is still there.
void placeLight(night::LightRecord& light) {
    const auto solved = identify::readSolvedFrame(light.raw, {}, {});
    if (!solved) {
        light.problem = solved.error().detail;
        return;
    }
    light.wcs = solved->wcs;
    light.width = solved->width;
    light.height = solved->height;
}

/// Frames of one night that look at the same field share a lane and a grid: "2034-03-17 a".
void nameSeries(std::vector<night::LightRecord>& lights) {
    struct Field {
        std::string night;
        SkyPos middle;
        std::string name;
    };

    std::vector<Field> fields;
    std::map<std::string, int> counts;
    for (night::LightRecord& light : lights) {
        if (!light.solved()) {
            continue;
        }
        const std::string night = toIso(light.middle.plusSeconds(-43200.0), 0).substr(0, 10);
        const SkyPos middle = light.skyMiddle();
        const Angle reach =
            Angle::arcsec(0.5 * std::min(light.width, light.height) * light.wcs->scaleArcsec());
        auto field = std::find_if(fields.begin(), fields.end(), [&](const Field& f) {
            return f.night == night && separation(f.middle, middle) < reach;
        });
        if (field == fields.end()) {
            const int number = counts[night]++;
            const std::string letter = number < 26 ? std::string(1, static_cast<char>('a' + number))
                                                   : std::to_string(number + 1);
            fields.push_back({night, middle, fmt::format("{} {}", night, letter)});
            field = fields.end() - 1;
        }
        light.series = night::SeriesId(field->name);
        light.seriesTitle = field->name;
    }
}

} // namespace

bool isArchiveList(const fs::path& path) {
    const std::string ending = toLower(path.extension().string());
    return ending == ".csv" || ending == ".vot" || ending == ".xml";
}

Result<std::shared_ptr<const NightSnapshot>> readArchiveList(const fs::path& path) {
    const auto text = readWholeFile(path);
    if (!text) {
        return fail(ErrorId::FrameNotReadable, "The list cannot be read.", path.string());
    }
    const auto rows = identify::parseArchiveTable(*text);
    if (!rows) {
        Error error = rows.error();
        error.subject = path.string();
        return fail(error);
    }
    auto snapshot = std::make_shared<NightSnapshot>();
    snapshot->folder = path;
    snapshot->out = path.parent_path();
    snapshot->isArchive = true;
    std::vector<night::LightRecord> lights;
    std::map<fs::path, std::size_t> known;
    for (const auto& row : *rows) {
        const fs::path file =
            fs::path(row.file).is_absolute() ? fs::path(row.file) : path.parent_path() / row.file;
        if (known.try_emplace(file, lights.size()).second) {
            night::LightRecord light;
            light.frame = frameOf(file);
            light.raw = file;
            light.calibrated = file;
            light.series = night::SeriesId(file.string());
            light.middle = row.middle;
            lights.push_back(light);
        }
        snapshot->predictions.edit().push_back(predictionOf(row, file));
    }
    parallelFor(lights.size(), [&](std::size_t i) { placeLight(lights[i]); });
    std::stable_sort(lights.begin(), lights.end(), [](const auto& a, const auto& b) {
        return a.middle < b.middle;
    });
    nameSeries(lights);
    snapshot->excluded.assign(lights.size(), false);
    snapshot->lights = std::move(lights);
    indexNight(*snapshot);
    return snapshot;
}

} // namespace pathmark::desk
