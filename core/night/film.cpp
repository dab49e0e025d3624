#include "core/night/film.h"

#include "core/night/motion_stack.h"
#include "core/night/plane_stars.h"
#include "core/picture/film_file.h"
#include "core/picture/star_colours.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::night {
namespace {

constexpr picture::Rgb kInk{255, 196, 92};
constexpr int kInkDot = 400; ///< pixels of a picture's width for each pixel of a letter's dot
constexpr double kFreeRadius = 10.0; ///< pixels about the body that its path leaves free
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
    Result<FilmMade> write(const std::filesystem::path& path);

  private:
    [[nodiscard]] std::size_t count() const { return planes_[0].frames.size(); }

    Result<picture::ColourPicture> pictureOf(std::size_t moment) const;
    Result<bool> learnBrightness();
    void draw(std::size_t moment, double scale, picture::Raster& raster) const;

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
    return true;
}

void FilmMaker::draw(std::size_t moment, double scale, picture::Raster& raster) const {
    const int size = std::max(1, raster.width() / kInkDot);
    if (wishes_.hasStamp) {
        std::string time = toIso(planes_[0].frames[moment].middle, 0);
        std::replace(time.begin(), time.end(), 'T', ' ');
        time.back() = ' ';
        raster.write(time + "UTC", {8.0 * size, 8.0 * size}, size, kInk);
    }
    if (!wishes_.hasPath || path_.size() < 2) {
        return;
    }
    const PlanePos shift = wishes_.isBodyFixed ? path_[moment] : PlanePos{};
    const auto pixelOf = [&](const PlanePos& at) {
        const auto p = grid_.wcs.planeToPixel({at.xi - shift.xi, at.eta - shift.eta});
        return frame::PixelPos{scale * (p.x + 0.5) - 0.5, scale * (p.y + 0.5) - 0.5};
    };
    const frame::PixelPos body = pixelOf(path_[moment]);
    const auto isFree = [&](const frame::PixelPos& p) {
        return std::hypot(p.x - body.x, p.y - body.y) < kFreeRadius * size;
    };
    constexpr int kParts =
        32; // of the way between two frames, so that it can end at the circle left free
    for (std::size_t i = 1; i < path_.size(); ++i) {
        const frame::PixelPos a = pixelOf(path_[i - 1]);
        const frame::PixelPos b = pixelOf(path_[i]);
        const auto between = [&](int k) {
            const double t = static_cast<double>(k) / kParts;
            return frame::PixelPos{a.x + t * (b.x - a.x), a.y + t * (b.y - a.y)};
        };
        for (int k = 0; k < kParts; ++k) {
            if (!isFree(between(k)) && !isFree(between(k + 1))) {
                raster.line(between(k), between(k + 1), kInk);
            }
        }
    }
}

Result<FilmMade> FilmMaker::write(const std::filesystem::path& path) {
    if (auto learned = learnBrightness(); !learned) {
        return fail(learned.error());
    }
    FilmMade made;
    const auto fill = [&](picture::FilmWriter& film) -> Result<bool> {
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
            const auto small = wishes_.width > 0
                                   ? picture::reducedTo(*linear, wishes_.width / 2 * 2)
                                   : std::move(*linear);
            picture::Raster raster(picture::stretched(small, stretch_), true);
            draw(moment, static_cast<double>(small.width()) / whole, raster);
            made = {made.frames + 1, raster.width(), raster.height()};
            if (auto added = film.add(raster); !added) {
                return added;
            }
        }
        return true;
    };
    if (auto written = picture::writeFilm(path, wishes_.framesPerSecond, fill); !written) {
        return fail(written.error());
    }
    return made;
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

Result<FilmMade> makeFilm(const PictureChannels& channels,
                          const FilmWishes& wishes,
                          const std::filesystem::path& path,
                          const Job& job) {
    auto planes = planesOf(channels);
    if (planes.empty() || planes[0].frames.size() < 2) {
        return fail(ErrorId::PictureNoLayer,
                    "A film needs two solved frames or more; there are fewer.");
    }
    FilmMaker maker(wishes, std::move(planes), job);
    if (auto laid = maker.layOut(); !laid) {
        return fail(laid.error());
    }
    return maker.write(path);
}

} // namespace pathmark::night
