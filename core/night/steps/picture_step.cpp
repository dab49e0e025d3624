#include "core/night/steps/picture_step.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/frame/fits_file.h"
#include "core/night/film.h"
#include "core/night/hand_measurements.h"
#include "core/night/joined_picture.h"
#include "core/night/linear_picture.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/results_folder.h"
#include "core/night/steps/measure_doubts.h"
#include "core/night/steps/measure_keys.h"
#include "core/night/steps/measured_pixels.h"
#include "core/night/steps/step.h"
#include "core/night/work_folder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <memory>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr std::ptrdiff_t kLeastFrames =
    4;                                ///< of a filter: stars are told from a comet by its moving
constexpr double kSameScale = 0.02;   ///< frames of one camera
constexpr double kFilmWidth = 1280.0; ///< pixels, at most
constexpr double kFilmSeconds = 5.0;  ///< that a film is to take, by its pace
/// Of all frames: more are a quarter of an hour, and a copy of each on the disk, that nobody asked for.
constexpr double kMostPixels = 1.5e9;

/// The comets that were seen on a frame or a stack, in the order of their names.
std::set<BodyId> seenComets(const NightRun& run) {
    std::set<BodyId> comets;
    for (const MeasurementRecord& m : run.measurements) {
        if (m.seen && m.state != MeasurementState::Dropped && !isByHand(m) &&
            isComet(run, m.body)) {
            comets.insert(m.body);
        }
    }
    return comets;
}

/// The lights that have a body in them, of the camera that has it in most; of filters with frames enough.
std::vector<const LightRecord*>
lightsWith(const NightRun& run, const FramePredictions& predictions, const BodyId& body) {
    std::vector<const LightRecord*> all;
    for (const LightRecord& light : run.lights) {
        if (predictions.of(light.frame, body) != nullptr && light.solved() &&
            light.leftOutBy.empty()) {
            all.push_back(&light);
        }
    }
    const auto isAlike = [](const LightRecord& a, const LightRecord& b) {
        return a.width == b.width && a.height == b.height &&
               a.mosaic.has_value() == b.mosaic.has_value() &&
               std::abs(a.wcs->scaleArcsec() / b.wcs->scaleArcsec() - 1.0) < kSameScale;
    };
    std::vector<const LightRecord*> most;
    for (const LightRecord* example : all) {
        std::vector<const LightRecord*> alike;
        std::ranges::copy_if(all, std::back_inserter(alike), [&](const LightRecord* light) {
            return isAlike(*light, *example);
        });
        if (alike.size() > most.size()) {
            most = std::move(alike);
        }
    }
    std::map<std::string, std::ptrdiff_t> ofFilter;
    for (const LightRecord* light : most) {
        ++ofFilter[light->filter];
    }
    std::erase_if(most,
                  [&](const LightRecord* light) { return ofFilter[light->filter] < kLeastFrames; });
    return most;
}

double pixelsOf(const std::vector<const LightRecord*>& lights) {
    double pixels = 0.0;
    for (const LightRecord* light : lights) {
        const double ofOne = static_cast<double>(light->width) * light->height;
        pixels += light->mosaic ? 4.0 * ofOne : ofOne;
    }
    return pixels;
}

/// The way of a body over the night.
///
/// Errors   orbit.outside_ephemeris
Result<std::function<Result<SkyPos>(const Utc&)>>
wayOf(const NightRun& run, const BodyId& body, const std::vector<const LightRecord*>& lights) {
    const auto known = run.orbits.find(body.text());
    if (!known) {
        return fail(ErrorId::PictureNoLayer, "There is no orbit of the comet.");
    }
    auto motion = orbit::Ephemeris::make(run.orbits.elements(*known),
                                         run.sky.planets,
                                         lights.front()->middle.plusSeconds(-60.0),
                                         lights.back()->middle.plusSeconds(60.0));
    if (!motion) {
        return fail(motion.error());
    }
    auto kept = std::make_shared<const orbit::Ephemeris>(std::move(*motion));
    return [kept, &run](const Utc& time) -> Result<SkyPos> {
        const auto observer = run.observerAt(time);
        if (!observer) {
            return fail(observer.error());
        }
        return kept->directionFrom(*observer);
    };
}

/// The camera's own mosaic of a light, calibrated, with its solution: its colours are in it.
Result<fs::path> writeMosaic(const NightRun& run,
                             SeriesMasters& masters,
                             const LightRecord& light,
                             const fs::path& folder) {
    const auto pixels = MeasuredPixels::read(run, masters, light);
    auto header = frame::readFitsHeader(light.calibrated);
    if (!pixels || !header) {
        return fail(!pixels ? pixels.error() : header.error());
    }
    const auto pattern = header->text(frame::kPatternKeyword);
    for (const char* word : {frame::kColourKeyword, frame::kPatternKeyword, "PMZEROPT"}) {
        header->remove(word);
    }
    header->set("BAYERPAT", pattern.value_or(""), "of the pixels as they lie here");
    frame::writeWcs(pixels->pictureAt({0.0, 0.0}).wcs, *header);
    auto path = folder / (light.frame.text() + ".fits");
    if (auto written = frame::writeFits(path, pixels->electrons(), *header); !written) {
        return fail(written.error());
    }
    return path;
}

/// The files that a picture is joined from.
Result<std::vector<fs::path>> filesOf(const NightRun& run,
                                      const std::vector<const LightRecord*>& lights,
                                      const fs::path& folder) {
    SeriesMasters masters(run.calibration);
    std::vector<fs::path> files;
    for (const LightRecord* light : lights) {
        if (run.isStopped()) {
            return stopped();
        }
        if (!light->mosaic) {
            files.push_back(light->calibrated);
            continue;
        }
        auto file = writeMosaic(run, masters, *light, folder);
        if (!file) {
            return fail(file.error());
        }
        files.push_back(std::move(*file));
    }
    return files;
}

PictureMaking makingOf(const NightRun& run, const BodyId& body) {
    const auto& makings = run.calibration.decided.makings;
    const auto found = makings.find(body);
    return found == makings.end() ? PictureMaking() : found->second;
}

/// All of it, for a key.
std::string makingText(const PictureMaking& making) {
    std::string text = fmt::format("{}", making.skyDegree.value_or(-1));
    for (const stack::SkyStroke& s : making.strokes) {
        text +=
            fmt::format(";{:.9e},{:.9e},{:.6e},{}", s.at.xi, s.at.eta, s.radius, s.isLight ? 1 : 0);
    }
    for (const PlaneOfFilter& p : making.planes) {
        text += fmt::format(";{}={}", p.filter, p.plane);
    }
    return text;
}

ProductKey
keyOf(const NightRun& run, const BodyId& body, const std::vector<const LightRecord*>& lights) {
    ProductKey key("picture", versionOf("picture"));
    key.input("body", body.text())
        .input("orbits", run.orbitDigest)
        .input("sky", run.skyDigest)
        .input("catalogue", run.store.contentDigest());
    key.input("making", makingText(makingOf(run, body)));
    for (const LightRecord* light : lights) {
        key.input("calibrated", light->keys.calibrated)
            .input("solution", light->keys.solution)
            .input("time", toIso(light->middle, 6));
    }
    return key;
}

fs::path
pathOf(const NightRun& run, const BodyId& body, const std::vector<const LightRecord*>& lights) {
    Digest digest;
    for (const LightRecord* light : lights) {
        digest.add(light->frame.text());
    }
    std::string time = toIso(lights.front()->middle, 0).substr(0, 10);
    std::erase(time, '-');
    return run.calibration.out / infoOf(ProductKind::Picture).folder /
           fmt::format("{}_{}_{}_{}.fits",
                       fileWord(body.text()),
                       time,
                       lights.size(),
                       digest.hex().substr(0, 6));
}

/// What all frames share, so that nothing ends in a ragged edge; all of it where they share less than half of one.
stack::CanvasExtent extentOf(const std::vector<const LightRecord*>& lights) {
    std::vector<stack::FrameOutline> outlines;
    outlines.reserve(lights.size());
    for (const LightRecord* light : lights) {
        outlines.push_back({{*light->wcs, {}}, light->width, light->height});
    }
    const LightRecord& first = *lights.front();
    const auto shared = stack::canvasFor(
        outlines, first.skyMiddle(), {stack::CanvasExtent::Common, {}, false, 1.0, 0});
    const double most = static_cast<double>(first.width) * first.height;
    return shared && static_cast<double>(shared->width) * shared->height > 0.5 * most
               ? stack::CanvasExtent::Common
               : stack::CanvasExtent::Union;
}

/// Where the body is in each of the lights.
std::vector<SkyPos> pathOn(const std::function<Result<SkyPos>(const Utc&)>& way,
                           const std::vector<const LightRecord*>& lights) {
    std::vector<SkyPos> path;
    for (const LightRecord* light : lights) {
        if (const auto place = way(light->middle)) {
            path.push_back(*place);
        }
    }
    return path;
}

/// The motion over the stars, small enough to be sent to a friend; a night is whole without.
void makeMotionFilm(const NightRun& run,
                    const PictureChannels& channels,
                    const std::function<Result<SkyPos>(const Utc&)>& way,
                    const fs::path& path) {
    const auto frames =
        static_cast<double>(allLights(channels).size()) / (channels.arePlanes ? 3.0 : 1.0);
    FilmWishes wishes;
    wishes.target = way;
    wishes.canvas.extent = stack::CanvasExtent::Common;
    wishes.canvas.scale = std::max(
        1.0, static_cast<double>(channels.channels.front().lights.front().info.width) / kFilmWidth);
    wishes.framesPerSecond = std::clamp(frames / kFilmSeconds, 3.0, 12.0);
    wishes.pauseSeconds = 0.5;
    wishes.hasStamp = true;
    wishes.marks.scale = true;
    if (const auto made = makeFilm(channels, wishes, path, run.job()); !made) {
        run.job().message(
            fmt::format("no film {}: {}", path.filename().string(), made.error().detail));
    }
}

/// Joins, stretches and writes one: in linear light for what is done with it later, and as it is seen.
Result<PictureRecord> make(const NightRun& run,
                           const BodyId& body,
                           const std::vector<const LightRecord*>& lights,
                           const std::string& key,
                           const fs::path& path) {
    const auto way = wayOf(run, body, lights);
    if (!way) {
        return fail(way.error());
    }
    const WorkFolder work(run.calibration.out / "picture.work");
    if (auto made = makeFolder(work.path()); !made) {
        return fail(made.error());
    }
    const auto files = filesOf(run, lights, work.path());
    if (!files) {
        return fail(files.error());
    }
    const auto channels = readChannels(*files, {}, run.recipe.rules, work.path(), run.job());
    JoinedPictureWishes wishes;
    wishes.layers = PictureLayers::Both;
    wishes.canvas.extent = extentOf(lights);
    wishes.target = *way;
    const PictureMaking making = makingOf(run, body);
    wishes.sky = {making.skyDegree, making.strokes};
    for (const PlaneOfFilter& plane : making.planes) {
        wishes.planeOf[plane.filter] = plane.plane;
    }
    auto joined = joinPicture(channels, wishes, &run.store, work.path(), run.job());
    if (!joined) {
        return fail(joined.error());
    }
    if (auto made = makeFolder(path.parent_path()); !made) {
        return fail(made.error());
    }
    for (const std::string& why : joined->leftOut) {
        run.job().message(fmt::format("picture of {}: {}", body.text(), why));
    }
    PictureRecord record{body,
                         joined->time,
                         joined->frames,
                         joined->planes,
                         joined->scales.white,
                         joined->scales.stars,
                         joined->scales.scatter};
    if (auto written = writeColours(coloursBeside(path), joined->scales.points); !written) {
        return fail(written.error());
    }
    const auto stands = (*way)(joined->time);
    if (!stands) {
        return fail(stands.error());
    }
    const LinearPicture linear = linearOf(std::move(*joined), *stands, pathOn(*way, lights));
    const picture::PictureNote note{body.text(), toIso(record.time), record.planes, linear.wcs};
    if (auto written = writeLinear(path, linear, note, key); !written) {
        return fail(written.error());
    }
    if (!run.isStopped()) {
        makeMotionFilm(run, channels, *way, fs::path(path).replace_extension(".mp4"));
    }
    const auto& looks = run.calibration.decided.looks;
    const auto look = looks.find(body);
    fs::path screen = path;
    screen.replace_extension(".png");
    if (auto written =
            writeSeen(screen, linear, look == looks.end() ? picture::Look() : look->second, note);
        !written) {
        return fail(written.error());
    }
    return record;
}

} // namespace

Result<bool> pictureStep(NightRun& run) {
    if (!run.recipe.picturesOfComets) {
        return true;
    }
    const FramePredictions predictions(run.predictions);
    const auto comets = seenComets(run);
    int done = 0;
    for (const BodyId& body : comets) {
        const int number = done++;
        const auto lights = lightsWith(run, predictions, body);
        if (lights.empty()) {
            continue;
        }
        if (run.isStopped()) {
            return stopped();
        }
        const ProductKey key = keyOf(run, body, lights);
        const fs::path path = pathOf(run, body, lights);
        run.pictureKeys.push_back(key.hex());
        std::error_code status;
        if (run.file().product(key.hex()) && fs::exists(path, status)) {
            continue;
        }
        if (pixelsOf(lights) > kMostPixels) {
            run.job().message(fmt::format(
                "no picture of {} by itself: its {} frames take long; pathmark picture makes one",
                body.text(),
                lights.size()));
            continue;
        }
        run.job().progress("Joining pictures", number, static_cast<int>(comets.size()));
        const auto record = make(run, body, lights, key.hex(), path);
        if (!record) {
            if (stopsTheNight(record.error())) {
                return fail(record.error());
            }
            // Nobody asked for it: the night is whole without.
            run.job().message(
                fmt::format("no picture of {}: {}", body.text(), record.error().detail));
            continue;
        }
        const Product product{key.hex(),
                              ProductKind::Picture,
                              {},
                              body,
                              path,
                              record_json::write(*record).dump(),
                              {},
                              key.origin()};
        if (auto stored = run.file().putProducts(std::span(&product, 1)); !stored) {
            return stored;
        }
    }
    return true;
}

} // namespace pathmark::night
