#include "core/night/film.h"

#include "core/calibrate/colour_planes.h"
#include "core/night/motion_stack.h"
#include "core/night/plane_stars.h"
#include "core/picture/film_file.h"
#include "core/stack/smooth_skies.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr int kFilmGap = 8;

/// One series of frames: a plane of a colour camera, or everything that there is.
struct Plane {
    std::vector<StackLight> lights;
    std::vector<stack::StackFrame> frames;
};

void scaleLight(frame::Image& image, double scale) {
    for (float& v : image.pixels()) {
        v *= static_cast<float>(scale);
    }
}

class FilmMaker {
  public:
    FilmMaker(const FilmWishes& wishes, std::vector<Plane> planes, const Job& job)
        : wishes_(wishes), planes_(std::move(planes)), job_(job) {}

    Result<bool> layOut();
    Result<bool> makeAll(const FilmPicture& take);

  private:
    [[nodiscard]] std::size_t count() const { return planes_[0].frames.size(); }

    Result<picture::ColourPicture> pictureOf(std::size_t moment) const;
    Result<bool> learnBrightness();
    void smoothSkies();
    void draw(std::size_t moment, double scale, picture::ColourPicture& shown) const;

    const FilmWishes& wishes_;
    std::vector<Plane> planes_;
    const Job& job_;
    stack::PixelGrid grid_;
    std::vector<PlanePos> path_; ///< of the body, from where it is in the middle
    std::array<double, 3> scales_{1.0, 1.0, 1.0};
    picture::Stretch stretch_;
};

Result<bool> FilmMaker::layOut() {
    const Plane& first = planes_[0];
    SkyPos origin = middleOf(first.lights);
    if (wishes_.target) {
        const auto middle = wishes_.target(first.frames[count() / 2].middle);
        if (!middle) {
            return fail(middle.error());
        }
        origin = *middle;
        for (const auto& frame : first.frames) {
            const auto there = wishes_.target(frame.middle);
            if (!there) {
                return fail(there.error());
            }
            path_.push_back(toTangentPlane(origin, *there));
        }
    }
    std::vector<stack::FrameOutline> outlines;
    for (Plane& plane : planes_) {
        for (std::size_t i = 0; i < plane.frames.size(); ++i) {
            if (wishes_.isBodyFixed && i < path_.size()) {
                plane.frames[i].place.shift = path_[i];
            }
            outlines.push_back(
                {plane.frames[i].place, plane.lights[i].info.width, plane.lights[i].info.height});
        }
    }
    stack::CanvasChoice choice = wishes_.canvas;
    if (!wishes_.isCanvasChosen) {
        choice.extent = stack::CanvasExtent::Common;
    }
    auto grid = stack::canvasFor(outlines, origin, choice);
    if (!grid && !wishes_.isCanvasChosen) {
        choice.extent = stack::CanvasExtent::Union;
        grid = stack::canvasFor(outlines, origin, choice);
    }
    if (!grid) {
        return fail(grid.error());
    }
    grid_ = std::move(*grid);
    return true;
}

Result<picture::ColourPicture> FilmMaker::pictureOf(std::size_t moment) const {
    const auto running = static_cast<std::size_t>(std::max(1, wishes_.running));
    const std::size_t from = moment + 1 < running ? 0 : moment + 1 - running;
    picture::ColourPicture picture;
    for (std::size_t p = 0; p < planes_.size(); ++p) {
        const auto frames = std::span(planes_[p].frames).subspan(from, moment + 1 - from);
        auto made = stack::stackFrames(frames, grid_, {}, job_);
        if (!made) {
            return fail(made.error());
        }
        picture::fillGaps(made->image, kFilmGap);
        scaleLight(made->image, scales_[p]);
        picture.planes[p] = std::move(made->image);
    }
    if (planes_.size() == 1) {
        picture.isGrey = true;
        picture.planes[1] = picture.planes[2] = picture.planes[0];
    }
    return picture;
}

/// From the picture in the middle: the stretch, and what is white.
Result<bool> FilmMaker::learnBrightness() {
    auto middle = pictureOf(count() / 2);
    if (!middle) {
        return fail(middle.error());
    }
    if (planes_.size() == 3) {
        const auto stars = planeStars({&middle->planes[0], &middle->planes[1], &middle->planes[2]},
                                      nullptr,
                                      grid_,
                                      planes_[0].frames[count() / 2].middle);
        scales_ = picture::scalesOf(stars).scale;
        for (std::size_t p = 0; p < 3; ++p) {
            scaleLight(middle->planes[p], scales_[p]);
        }
    }
    stretch_ = picture::stretchFor(*middle, wishes_.stretch);
    if (wishes_.look) {
        stretch_ = picture::stretchOf(*wishes_.look, stretch_, picture::groundOf(*middle));
    }
    return true;
}

/// Where they can be told; else each frame's sky is a mesh.
void FilmMaker::smoothSkies() {
    for (Plane& plane : planes_) {
        std::vector<SkyPos> targets; // none where nothing is known to move
        for (std::size_t i = 0; wishes_.target && i < plane.frames.size(); ++i) {
            const auto target = wishes_.target(plane.frames[i].middle);
            if (!target) {
                return;
            }
            targets.push_back(*target);
        }
        if (const auto skies = stack::smoothSkies(plane.frames, targets, {}, job_)) {
            for (std::size_t i = 0; i < plane.frames.size(); ++i) {
                plane.frames[i].sky = skies->surfaces[i];
            }
        }
    }
}

void FilmMaker::draw(std::size_t moment, double scale, picture::ColourPicture& shown) const {
    const int size = picture::letterSize(shown.width());
    picture::Drawing drawing(shown);
    double bottom = 0.0;
    if (wishes_.hasStamp) {
        std::string time = toIso(planes_[0].frames[moment].middle, 0);
        std::replace(time.begin(), time.end(), 'T', ' ');
        time.back() = ' ';
        drawing.write(time + "UTC", {8.0 * size, 8.0 * size}, size, picture::kMarkInk);
        bottom = 16.0 * size;
    }
    // Of the smaller picture: its pixels are of so many of the frames'.
    const double step = 1.0 / scale;
    const frame::Wcs wcs =
        calibrate::wcsOfPlane(grid_.wcs, {step, 0.5 * (step - 1.0), 0.5 * (step - 1.0)});
    if (wishes_.marks.path && path_.size() > 1) {
        const PlanePos shift = wishes_.isBodyFixed ? path_[moment] : PlanePos{};
        std::vector<frame::PixelPos> path;
        for (const PlanePos& at : path_) {
            path.push_back(wcs.planeToPixel({at.xi - shift.xi, at.eta - shift.eta}));
        }
        picture::drawPath(drawing, path, path[moment], size);
    }
    picture::Marks marks = wishes_.marks;
    marks.path = marks.caption = false;
    picture::annotate(shown, marks, {wcs, {}, {}, {}, bottom});
}

Result<bool> FilmMaker::makeAll(const FilmPicture& take) {
    smoothSkies();
    if (auto learned = learnBrightness(); !learned) {
        return learned;
    }
    for (std::size_t moment = 0; moment < count(); ++moment) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job_.progress("Writing the film", static_cast<int>(moment), static_cast<int>(count()));
        auto linear = pictureOf(moment);
        if (!linear) {
            return fail(linear.error());
        }
        const int whole = linear->width();
        const auto small = wishes_.width > 0 ? picture::reducedTo(*linear, wishes_.width / 2 * 2)
                                             : std::move(*linear);
        auto shown = picture::stretched(small, stretch_);
        draw(moment, static_cast<double>(small.width()) / whole, shown);
        if (auto taken = take(std::move(shown), planes_[0].frames[moment].middle); !taken) {
            return taken;
        }
    }
    return true;
}

/// Red, green and blue of a colour camera; else all lights as one series.
std::vector<Plane> planesOf(const PictureChannels& channels) {
    std::vector<Plane> planes;
    const auto& list = channels.channels;
    const bool areAlike = list.size() == 3 && list[0].lights.size() == list[1].lights.size() &&
                          list[0].lights.size() == list[2].lights.size();
    if (channels.arePlanes && areAlike) {
        for (const std::size_t c : {2U, 1U, 0U}) { // they stand from blue to red
            planes.push_back({list[c].lights, stackFramesOf(list[c].lights, 0)});
        }
        return planes;
    }
    Plane all;
    all.lights = allLights(channels);
    if (!all.lights.empty()) {
        all.frames = stackFramesOf(all.lights, 0);
        planes.push_back(std::move(all));
    }
    return planes;
}

} // namespace

Result<bool> makeFilmPictures(const PictureChannels& channels,
                              const FilmWishes& wishes,
                              const FilmPicture& take,
                              const Job& job) {
    auto planes = planesOf(channels);
    if (planes.empty() || planes[0].frames.size() < 2) {
        return fail(ErrorId::PictureNoLayer,
                    "A film needs two solved frames or more; there are fewer.");
    }
    FilmMaker maker(wishes, std::move(planes), job);
    auto laid = maker.layOut();
    return laid ? maker.makeAll(take) : laid;
}

Result<FilmMade> makeFilm(const PictureChannels& channels,
                          const FilmWishes& wishes,
                          const std::filesystem::path& path,
                          const Job& job) {
    FilmMade made;
    const int pause = static_cast<int>(std::lround(wishes.pauseSeconds * wishes.framesPerSecond));
    const auto fill = [&](picture::FilmWriter& film) -> Result<bool> {
        std::optional<picture::Raster> last;
        const auto add = [&](const picture::Raster& raster, int times) -> Result<bool> {
            for (int k = 0; k < times; ++k) {
                if (auto added = film.add(raster); !added) {
                    return added;
                }
                made = {made.frames + 1, raster.width(), raster.height()};
            }
            return true;
        };
        const auto take = [&](const picture::ColourPicture& shown, const Utc&) {
            const bool isFirst = !last;
            last.emplace(shown, true);
            return add(*last, isFirst ? 1 + pause : 1);
        };
        auto done = makeFilmPictures(channels, wishes, take, job);
        return done ? add(*last, pause) : done;
    };
    if (auto written = picture::writeFilm(path, wishes.framesPerSecond, fill); !written) {
        return fail(written.error());
    }
    return made;
}

} // namespace pathmark::night
