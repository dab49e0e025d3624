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

night::PredictionRecord predictionOf(const identify::ArchiveRow& row, const fs::path& file) {
    night::PredictionRecord p;
    p.body = row.body;
    p.frame = file;
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
    const auto solved = identify::readSolvedFrame(light.raw);
    if (!solved) {
        light.problem = solved.error().detail;
        return;
    }
    light.wcs = solved->wcs;
    light.width = solved->width;
    light.height = solved->height;
    const SkyPos middle = solved->wcs.toSky({0.5 * solved->width, 0.5 * solved->height});
    // Frames of one night and one field share a grid.
    const std::string night = toIso(light.middle.plusSeconds(-43200.0), 0).substr(0, 10);
    light.series = fmt::format(
        "{} {:.1f}h {:+.1f}°", night, middle.longitude.degrees() / 15.0, middle.latitude.degrees());
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
    std::map<fs::path, std::size_t> known;
    for (const auto& row : *rows) {
        const fs::path file =
            fs::path(row.file).is_absolute() ? fs::path(row.file) : path.parent_path() / row.file;
        if (known.try_emplace(file, snapshot->lights.size()).second) {
            night::LightRecord light;
            light.raw = file;
            light.calibrated = file;
            light.series = file.string();
            light.middle = row.middle;
            snapshot->lights.push_back(light);
        }
        snapshot->predictions.push_back(predictionOf(row, file));
    }
    parallelFor(snapshot->lights.size(), [&](std::size_t i) { placeLight(snapshot->lights[i]); });
    std::stable_sort(snapshot->lights.begin(),
                     snapshot->lights.end(),
                     [](const auto& a, const auto& b) { return a.middle < b.middle; });
    snapshot->excluded.assign(snapshot->lights.size(), false);
    listBodies(*snapshot);
    return snapshot;
}

} // namespace pathmark::desk
