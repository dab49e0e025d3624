#include "core/stack/marked_path.h"

#include "core/base/linear.h"
#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/frame/open_frame.h"
#include "core/stack/lights_near.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

namespace pathmark::stack {
namespace {

constexpr double kWideSearch =
    8.0; ///< pixels about a path through marks alone: a hand is no better
constexpr double kNarrowSearch = 3.0;  ///< pixels about a path that lights agree on
constexpr std::size_t kMostLights = 5; ///< looked at in one frame
constexpr std::size_t kMostEnds = 40;  ///< frames that lines are drawn between
constexpr double kStep = 1.4;          ///< pixels that a light may lie off a trial line

/// A place in the tangent plane about the marks, arcsec.
struct Place {
    double x = 0.0;
    double y = 0.0;
};

double distance(const Place& a, const Place& b) {
    return std::hypot(a.x - b.x, a.y - b.y);
}

/// A polynomial of time, of both coordinates; time runs from -1 to 1 over the frames.
struct Path {
    Eigen::MatrixXd coefficients; ///< a row for each power

    [[nodiscard]] Place at(double t) const {
        Place place;
        double power = 1.0;
        for (Eigen::Index k = 0; k < coefficients.rows(); ++k) {
            place.x += power * coefficients(k, 0);
            place.y += power * coefficients(k, 1);
            power *= t;
        }
        return place;
    }
};

/// A light or a mark: where and when.
struct Sighting {
    double t = 0.0;
    Place place;
    std::size_t frame = 0;
    double weight = 1.0;
};

Path fitted(const std::vector<Sighting>& sightings, int degree) {
    const auto rows = static_cast<Eigen::Index>(sightings.size());
    Eigen::MatrixXd design(rows, degree + 1);
    Eigen::MatrixXd right(rows, 2);
    for (Eigen::Index i = 0; i < rows; ++i) {
        const Sighting& s = sightings[static_cast<std::size_t>(i)];
        double power = std::sqrt(s.weight);
        right(i, 0) = power * s.place.x;
        right(i, 1) = power * s.place.y;
        for (Eigen::Index k = 0; k <= degree; ++k) {
            design(i, k) = power;
            power *= s.t;
        }
    }
    return {leastSquares(design, right)};
}

double squaresOff(const Path& path, const std::vector<Sighting>& sightings) {
    double sum = 0.0;
    for (const Sighting& s : sightings) {
        const double d = distance(path.at(s.t), s.place);
        sum += s.weight * d * d;
    }
    return sum;
}

/// As high a degree as the scatter bears, up to 3.
Path smoothest(const std::vector<Sighting>& sightings) {
    Path best = fitted(sightings, 1);
    double squares = squaresOff(best, sightings);
    for (int degree = 2; degree <= 3; ++degree) {
        const auto freedom = 2.0 * (static_cast<double>(sightings.size()) - degree - 1.0);
        if (freedom < 4.0) {
            break;
        }
        const Path higher = fitted(sightings, degree);
        const double left = squaresOff(higher, sightings);
        // Two coefficients more: F of 2 and `freedom` degrees, at a chance of about one in a thousand.
        if (0.5 * (squares - left) < 8.0 * left / freedom) {
            break;
        }
        best = higher;
        squares = left;
    }
    return best;
}

/// Follows one target.
class Follower {
  public:
    Follower(std::span<const PathFrame> frames, std::span<const Mark> marks)
        : frames_(frames), marks_(marks), centre_(marks.front().sky) {
        const auto [first, last] =
            std::minmax_element(frames.begin(), frames.end(), [](const auto& a, const auto& b) {
                return a.middle < b.middle;
            });
        start_ = first->middle;
        half_ = std::max(1.0, 0.5 * last->middle.secondsSince(start_));
    }

    [[nodiscard]] Path throughMarks() const {
        std::vector<Sighting> marked;
        std::set<std::size_t> different;
        for (const Mark& mark : marks_) {
            marked.push_back({timeOf(mark.frame), onPlane(mark.sky), mark.frame});
            different.insert(mark.frame);
        }
        const std::size_t count = different.size();
        return fitted(marked, count < 3 ? 1 : count < 6 ? 2 : 3);
    }

    /// The lights within so many pixels of a path, frame by frame.
    Result<std::vector<std::vector<Sighting>>>
    lightsAlong(const Path& path, double pixels, std::size_t most, const Job& job) const;

    /// The line that most frames have a light on.
    [[nodiscard]] std::vector<Sighting>
    agreeing(const std::vector<std::vector<Sighting>>& lights) const;

    [[nodiscard]] bool isEnough(std::size_t count) const {
        return count >= 4 && 3 * count >= frames_.size();
    }

    [[nodiscard]] double pixelArcsec() const { return frames_.front().wcs.scaleArcsec(); }

    [[nodiscard]] MarkedPath result(const Path& path, const std::vector<Sighting>& found) const;

    [[nodiscard]] std::vector<Sighting> withoutStrangers(std::vector<Sighting> found) const;

  private:
    [[nodiscard]] double timeOf(std::size_t frame) const {
        return frames_[frame].middle.secondsSince(start_) / half_ - 1.0;
    }

    [[nodiscard]] Place onPlane(const SkyPos& sky) const {
        const PlanePos plane = toTangentPlane(centre_, sky);
        return {plane.xi / kRadiansPerArcsec, plane.eta / kRadiansPerArcsec};
    }

    [[nodiscard]] SkyPos onSky(const Place& place) const {
        return offsetBy(centre_, place.x, place.y);
    }

    Result<std::vector<Sighting>>
    lightsIn(std::size_t index, const Place& predicted, double pixels, std::size_t most) const;

    std::span<const PathFrame> frames_;
    std::span<const Mark> marks_;
    SkyPos centre_;
    Utc start_;
    double half_ = 1.0; ///< seconds
};

Result<std::vector<Sighting>> Follower::lightsIn(std::size_t index,
                                                 const Place& predicted,
                                                 double pixels,
                                                 std::size_t most) const {
    const PathFrame& frame = frames_[index];
    auto reader = frame::openFrame(frame.path);
    if (!reader) {
        return fail(reader.error());
    }
    const auto pixel = frame.wcs.toPixel(onSky(predicted));
    const int width = (*reader)->width();
    const int height = (*reader)->height();
    if (!pixel || pixel->x < 0.0 || pixel->y < 0.0 || pixel->x > width - 1 ||
        pixel->y > height - 1) {
        return std::vector<Sighting>{};
    }
    const int reach = static_cast<int>(std::ceil(pixels + 5.0 * frame.fwhmPixels)) + 10;
    const int x0 = std::max(0, static_cast<int>(pixel->x) - reach);
    const int x1 = std::min(width, static_cast<int>(pixel->x) + reach + 1);
    const int y0 = std::max(0, static_cast<int>(pixel->y) - reach);
    const int y1 = std::min(height, static_cast<int>(pixel->y) + reach + 1);
    frame::Image rows(width, y1 - y0);
    if (auto read = (*reader)->rows(y0, rows.pixels()); !read) {
        return fail(read.error());
    }
    frame::Image part(x1 - x0, y1 - y0);
    for (int y = 0; y < part.height(); ++y) {
        const auto row =
            rows.row(y).subspan(static_cast<std::size_t>(x0), static_cast<std::size_t>(x1 - x0));
        std::copy(row.begin(), row.end(), part.row(y).begin());
    }
    std::vector<Sighting> lights;
    for (const auto& light :
         lightsNear(part, {pixel->x - x0, pixel->y - y0}, pixels, frame.fwhmPixels, most)) {
        lights.push_back({timeOf(index),
                          onPlane(frame.wcs.toSky({light.pixel.x + x0, light.pixel.y + y0})),
                          index});
    }
    return lights;
}

Result<std::vector<std::vector<Sighting>>>
Follower::lightsAlong(const Path& path, double pixels, std::size_t most, const Job& job) const {
    std::vector<std::vector<Sighting>> lights(frames_.size());
    std::vector<std::optional<Error>> errors(frames_.size());
    parallelFor(frames_.size(), [&](std::size_t i) {
        if (job.stop.stop_requested()) {
            return;
        }
        auto found = lightsIn(i, path.at(timeOf(i)), pixels, most);
        if (found) {
            lights[i] = std::move(*found);
        } else {
            errors[i] = found.error();
        }
    });
    if (job.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    for (const auto& error : errors) {
        if (error) {
            return fail(*error);
        }
    }
    return lights;
}

std::vector<Sighting> Follower::agreeing(const std::vector<std::vector<Sighting>>& lights) const {
    const double step = kStep * pixelArcsec();
    std::vector<std::size_t> ends;
    const std::size_t stride = std::max<std::size_t>(1, lights.size() / kMostEnds);
    for (std::size_t i = 0; i < lights.size(); i += stride) {
        ends.push_back(i);
    }
    std::vector<Sighting> best;
    double bestSquares = 0.0;
    const auto tryLine = [&](const Sighting& a, const Sighting& b) {
        if (std::abs(b.t - a.t) < 0.2) {
            return; // too short an arm
        }
        const Path line = fitted({a, b}, 1);
        std::vector<Sighting> on;
        double squares = 0.0;
        for (const auto& frame : lights) {
            const Sighting* nearest = nullptr;
            double least = step;
            for (const Sighting& light : frame) {
                const double d = distance(line.at(light.t), light.place);
                if (d < least) {
                    least = d;
                    nearest = &light;
                }
            }
            if (nearest != nullptr) {
                on.push_back(*nearest);
                squares += least * least;
            }
        }
        if (on.size() > best.size() || (on.size() == best.size() && squares < bestSquares)) {
            best = std::move(on);
            bestSquares = squares;
        }
    };
    for (std::size_t i = 0; i < ends.size(); ++i) {
        for (std::size_t k = i + 1; k < ends.size(); ++k) {
            for (const Sighting& a : lights[ends[i]]) {
                for (const Sighting& b : lights[ends[k]]) {
                    tryLine(a, b);
                }
            }
        }
    }
    return best;
}

std::vector<Sighting> Follower::withoutStrangers(std::vector<Sighting> found) const {
    const auto distances = [&] {
        const Path path = smoothest(found);
        std::vector<double> off;
        off.reserve(found.size());
        for (const Sighting& s : found) {
            off.push_back(distance(path.at(s.t), s.place));
        }
        return off;
    };
    // The median distance of a normal scatter in two axes is 1.18 sigma.
    const auto sigmaOf = [](std::vector<double> off) {
        return medianInPlace(std::span(off)) / 1.18;
    };
    for (int round = 0; round < 5 && found.size() >= 4; ++round) {
        const std::vector<double> off = distances();
        const double limit = std::max(3.0 * 1.4 * sigmaOf(off), 0.3 * pixelArcsec());
        std::vector<Sighting> kept;
        for (std::size_t i = 0; i < found.size(); ++i) {
            if (off[i] <= limit) {
                kept.push_back(found[i]);
            }
        }
        if (kept.size() == found.size()) {
            break;
        }
        found = std::move(kept);
    }
    // A star's rest beside the body that is too small to tell it by: it counts the less the further it is off (Cauchy's weights).
    for (int round = 0; round < 5 && found.size() >= 6; ++round) {
        const std::vector<double> off = distances();
        const double scale = 2.4 * sigmaOf(off);
        for (std::size_t i = 0; i < found.size() && scale > 0.0; ++i) {
            found[i].weight = 1.0 / (1.0 + std::pow(off[i] / scale, 2));
        }
    }
    return found;
}

MarkedPath Follower::result(const Path& path, const std::vector<Sighting>& found) const {
    MarkedPath result;
    result.centre = centre_;
    result.start = start_;
    result.halfSeconds = half_;
    for (Eigen::Index k = 0; k < path.coefficients.rows(); ++k) {
        result.coefficients.push_back({path.coefficients(k, 0), path.coefficients(k, 1)});
    }
    result.points.resize(frames_.size());
    for (const Sighting& s : found) {
        result.points[s.frame] = {true, distance(path.at(s.t), s.place)};
    }
    return result;
}

} // namespace

SkyPos MarkedPath::at(const Utc& time) const {
    const double t = time.secondsSince(start) / halfSeconds - 1.0;
    double east = 0.0;
    double north = 0.0;
    double power = 1.0;
    for (const auto& c : coefficients) {
        east += power * c[0];
        north += power * c[1];
        power *= t;
    }
    return offsetBy(centre, east, north);
}

Result<MarkedPath>
followMarks(std::span<const PathFrame> frames, std::span<const Mark> marks, const Job& job) {
    if (frames.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no solved frame to stack.");
    }
    if (marks.size() < 2) {
        return fail(ErrorId::StackBadMarks,
                    "A path needs marks in two frames at least; there is but one.");
    }
    const Utc& first = frames[marks.front().frame].middle;
    if (std::all_of(marks.begin(), marks.end(), [&](const Mark& mark) {
            return std::abs(frames[mark.frame].middle.secondsSince(first)) < 1.0;
        })) {
        return fail(ErrorId::StackBadMarks,
                    "All marks are of one time; a path needs marks at two times at least.");
    }
    const Follower follower(frames, marks);
    const Path marked = follower.throughMarks();
    auto wide = follower.lightsAlong(marked, kWideSearch, kMostLights, job);
    if (!wide) {
        return fail(wide.error());
    }
    const auto agreed = follower.agreeing(*wide);
    if (!follower.isEnough(agreed.size())) {
        return follower.result(marked, {});
    }
    auto narrow = follower.lightsAlong(smoothest(agreed), kNarrowSearch, 1, job);
    if (!narrow) {
        return fail(narrow.error());
    }
    std::vector<Sighting> found;
    for (const auto& frame : *narrow) {
        found.insert(found.end(), frame.begin(), frame.end());
    }
    found = follower.withoutStrangers(std::move(found));
    if (!follower.isEnough(found.size())) {
        return follower.result(marked, {});
    }
    return follower.result(smoothest(found), found);
}

} // namespace pathmark::stack
