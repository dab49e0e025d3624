#include "core/stack/moving_frames.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/base/try_each.h"
#include "core/frame/open_frame.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

namespace pathmark::stack {

GridMotion toGrid(const PlanePos& sky, const frame::Wcs& grid) {
    const auto& cd = grid.cd;
    const double det = cd[0] * cd[3] - cd[1] * cd[2];
    return {(cd[3] * sky.xi - cd[1] * sky.eta) / det, (cd[0] * sky.eta - cd[2] * sky.xi) / det};
}

PlanePos toSky(const GridMotion& motion, const frame::Wcs& grid) {
    const auto& cd = grid.cd;
    return {cd[0] * motion.x + cd[1] * motion.y, cd[2] * motion.x + cd[3] * motion.y};
}

namespace {

constexpr float kNothing = std::numeric_limits<float>::quiet_NaN();

/// The part of a frame that the grid covers, its sky taken off; nothing where they do not meet.
Result<std::optional<MovingFrame>>
cutOne(const StackFrame& frame, const PixelGrid& grid, double beta) {
    const double area = pixelArea(frame.place, grid);
    if (!(area > 0.0)) {
        return std::optional<MovingFrame>();
    }
    auto reader = frame::openFrame(frame.path);
    if (!reader) {
        return fail(reader.error());
    }
    const Tile whole{0, 0, grid.width, grid.height};
    auto light = resample(**reader, fromGrid(frame.place, grid), whole, {});
    if (!light) {
        return fail(light.error());
    }
    const auto pixels = light->pixels();
    const double sky = sampledMedian(pixels, 7);
    if (!std::isfinite(sky)) {
        return std::optional<MovingFrame>();
    }
    for (float& v : pixels) {
        v = static_cast<float>(frame.fluxScale * (static_cast<double>(v) - sky));
    }
    MovingFrame cut;
    cut.light = std::move(*light);
    cut.noise = noiseOnGrid(frame, area);
    cut.weight = weightOf(frame);
    cut.star = detect::Moffat::round(std::max(0.5, frame.fwhm / grid.wcs.scaleArcsec()), beta);
    return std::optional(std::move(cut));
}

constexpr std::size_t kFewestForStars = 5;
constexpr double kMostStarlight = 1.5; ///< sigma of a frame, above which a pixel shows a star
constexpr double kLeastTravel = 4.0;   ///< star widths

struct PixelShift {
    int x = 0;
    int y = 0;
};

/// The grid that stands on the stars, as large as all frames together.
struct StarGround {
    std::vector<PixelShift> places; ///< of the frames' first pixels on it
    int width = 0;
    int height = 0;
};

StarGround groundOf(std::span<const PlanePos> shifts, const PixelGrid& grid) {
    StarGround ground;
    PixelShift least{std::numeric_limits<int>::max(), std::numeric_limits<int>::max()};
    PixelShift most{std::numeric_limits<int>::min(), std::numeric_limits<int>::min()};
    for (const PlanePos& shift : shifts) {
        const GridMotion moved = toGrid(shift, grid.wcs);
        const PixelShift place{static_cast<int>(std::lround(moved.x)),
                               static_cast<int>(std::lround(moved.y))};
        ground.places.push_back(place);
        least = {std::min(least.x, place.x), std::min(least.y, place.y)};
        most = {std::max(most.x, place.x), std::max(most.y, place.y)};
    }
    for (PixelShift& place : ground.places) {
        place = {place.x - least.x, place.y - least.y};
    }
    ground.width = grid.width + most.x - least.x;
    ground.height = grid.height + most.y - least.y;
    return ground;
}

/// The medians of rows of equal length.
void medianOf(std::span<const float* const> rows, std::span<float> median) {
    const std::vector<float> ones(rows.size(), 1.0F);
    combine::combineWeighted(rows, ones, {combine::Combination::Median}, {median, {}, {}, {}, {}});
}

/// The median of all frames on the body.
frame::Image medianOnBody(const std::vector<MovingFrame>& frames) {
    frame::Image median(frames.front().light.width(), frames.front().light.height());
    parallelFor(static_cast<std::size_t>(median.height()), [&](std::size_t y) {
        std::vector<const float*> rows;
        rows.reserve(frames.size());
        for (const MovingFrame& frame : frames) {
            rows.push_back(frame.light.row(static_cast<int>(y)).data());
        }
        medianOf(rows, median.row(static_cast<int>(y)));
    });
    return median;
}

/// Rows of pictures as they lie on one row of the ground; NaN beside them.
struct GroundRows {
    std::size_t width = 0;
    std::vector<float> values; ///< row after row

    void add(std::span<const float> row, int first) {
        values.resize(values.size() + width, kNothing);
        std::copy(
            row.begin(), row.end(), values.end() - static_cast<std::ptrdiff_t>(width) + first);
    }

    [[nodiscard]] std::vector<float> median() const {
        std::vector<const float*> rows;
        for (std::size_t k = 0; k < values.size(); k += width) {
            rows.push_back(values.data() + k);
        }
        std::vector<float> result(width);
        medianOf(rows, result);
        return result;
    }
};

/// Makes NaN of the pixels of one row of the ground that show a star: light that stands there, more than a coma leaves there that
/// goes along with the body.
void leaveOutStarsOf(int row,
                     const StarGround& ground,
                     const frame::Image& body,
                     std::vector<MovingFrame>& frames) {
    const auto width = static_cast<std::size_t>(ground.width);
    std::vector<std::size_t> seen;
    GroundRows seenLight{width, {}};
    GroundRows passingLight{width, {}};
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const int y = row - ground.places[i].y;
        if (y >= 0 && y < frames[i].light.height()) {
            seen.push_back(i);
            seenLight.add(frames[i].light.row(y), ground.places[i].x);
            passingLight.add(body.row(y), ground.places[i].x);
        }
    }
    if (seen.size() < kFewestForStars) {
        return;
    }
    const std::vector<float> standing = seenLight.median();
    const std::vector<float> passing = passingLight.median();
    for (const std::size_t i : seen) {
        MovingFrame& frame = frames[i];
        const auto own = frame.light.row(row - ground.places[i].y);
        const auto limit = static_cast<float>(kMostStarlight * frame.noise);
        const auto along = body.row(row - ground.places[i].y);
        const auto first = static_cast<std::size_t>(ground.places[i].x);
        for (std::size_t x = 0; x < own.size(); ++x) {
            const float coma = std::max(0.0F, passing[first + x]);
            const bool isStar =
                standing[first + x] > limit + coma && coma < limit && along[x] < limit;
            own[x] = isStar ? kNothing : own[x];
        }
    }
}

/// `shifts`: of the frames, as they were cut. Gives what they showed before; nothing where the stars cannot be told.
std::vector<frame::Image> leaveOutStars(std::span<const PlanePos> shifts,
                                        const PixelGrid& grid,
                                        std::vector<MovingFrame>& frames) {
    const StarGround ground = groundOf(shifts, grid);
    const double travel = std::hypot(ground.width - grid.width, ground.height - grid.height);
    if (frames.size() < kFewestForStars || travel < kLeastTravel * frames.front().star.fwhm()) {
        return {};
    }
    std::vector<frame::Image> before;
    before.reserve(frames.size());
    for (const MovingFrame& frame : frames) {
        before.push_back(frame.light);
    }
    const frame::Image body = medianOnBody(frames);
    // Rows of the ground share no pixel of a frame.
    parallelFor(static_cast<std::size_t>(ground.height), [&](std::size_t row) {
        leaveOutStarsOf(static_cast<int>(row), ground, body, frames);
    });
    return before;
}

/// A row of a frame as it is seen when the grid is moved: linear between pixels.
void moveRow(const frame::Image& light, double dx, double dy, int y, std::span<float> out) {
    const double fromY = y + dy;
    const int y0 = static_cast<int>(std::floor(fromY));
    const int x0 = static_cast<int>(std::floor(dx));
    if (y0 < 0 || y0 + 1 >= light.height()) {
        std::fill(out.begin(), out.end(), kNothing);
        return;
    }
    const auto fx = static_cast<float>(dx - x0);
    const auto fy = static_cast<float>(fromY - y0);
    const float* upper = light.row(y0).data();
    const float* lower = light.row(y0 + 1).data();
    const int width = light.width();
    const int first = std::clamp(-x0, 0, width);
    const int last = std::clamp(width - 1 - x0, first, width);
    std::fill(out.begin(), out.begin() + first, kNothing);
    std::fill(out.begin() + last, out.end(), kNothing);
    const float a = (1.0F - fx) * (1.0F - fy);
    const float b = fx * (1.0F - fy);
    const float c = (1.0F - fx) * fy;
    const float d = fx * fy;
    for (int x = first; x < last; ++x) {
        const int k = x + x0;
        out[static_cast<std::size_t>(x)] =
            a * upper[k] + b * upper[k + 1] + c * lower[k] + d * lower[k + 1];
    }
}

} // namespace

Result<MovingFrames> MovingFrames::cut(std::span<const StackFrame> frames,
                                       const PixelGrid& grid,
                                       double beta,
                                       const Job& job) {
    std::vector<std::optional<MovingFrame>> cuts(frames.size());
    auto all = tryEach(frames.size(), job, [&](std::size_t i) -> Result<bool> {
        auto cut = cutOne(frames[i], grid, beta);
        if (!cut) {
            return fail(cut.error());
        }
        cuts[i] = std::move(*cut);
        return true;
    });
    if (!all) {
        return fail(all.error());
    }
    const Utc middle = middleOf(frames);
    std::vector<MovingFrame> taken;
    std::vector<PlanePos> shifts;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        if (cuts[i]) {
            taken.push_back(std::move(*cuts[i]));
            shifts.push_back(frames[i].place.shift);
            taken.back().minutes = frames[i].middle.secondsSince(middle) / 60.0;
        }
    }
    if (taken.empty()) {
        return fail(ErrorId::StackNoFrames, "No frame shows the place that was asked for.");
    }
    auto withStars = leaveOutStars(shifts, grid, taken);
    MovingFrames result(grid, std::move(taken));
    result.withStars_ = std::move(withStars);
    return result;
}

MovingFrames::MovingFrames(PixelGrid grid, std::vector<MovingFrame> frames)
    : grid_(std::move(grid)), frames_(std::move(frames)) {
    for (const MovingFrame& frame : frames_) {
        PATHMARK_EXPECTS(frame.light.width() == grid_.width &&
                         frame.light.height() == grid_.height);
    }
}

double MovingFrames::spanMinutes() const {
    const auto [first, last] =
        std::minmax_element(frames_.begin(), frames_.end(), [](const auto& a, const auto& b) {
            return a.minutes < b.minutes;
        });
    return first == frames_.end() ? 0.0 : last->minutes - first->minutes;
}

frame::Image MovingFrames::stacked(const GridMotion& faster,
                                   std::span<const std::size_t> chosen,
                                   const combine::CombineRule& rule,
                                   Starlight starlight) const {
    const bool showsStars = starlight == Starlight::Kept && !withStars_.empty();
    frame::Image result(grid_.width, grid_.height, kNothing);
    combine::CombineRule floored = rule;
    std::vector<float> weights;
    double sigmas = 0.0;
    double sum = 0.0;
    for (const std::size_t i : chosen) {
        const MovingFrame& frame = frames_[i];
        weights.push_back(static_cast<float>(frame.weight));
        sum += frame.weight;
        sigmas += frame.weight * frame.noise * frame.noise;
    }
    if (chosen.empty()) {
        return result;
    }
    floored.floorSigma = std::sqrt(sigmas / sum);
    const auto width = static_cast<std::size_t>(grid_.width);
    parallelFor(static_cast<std::size_t>(grid_.height), [&](std::size_t y) {
        std::vector<float> moved(chosen.size() * width);
        std::vector<const float*> rows;
        for (std::size_t k = 0; k < chosen.size(); ++k) {
            const MovingFrame& frame = frames_[chosen[k]];
            const auto row = std::span(moved).subspan(k * width, width);
            moveRow(showsStars ? withStars_[chosen[k]] : frame.light,
                    faster.x * frame.minutes,
                    faster.y * frame.minutes,
                    static_cast<int>(y),
                    row);
            rows.push_back(row.data());
        }
        combine::combineWeighted(
            rows, weights, floored, {result.row(static_cast<int>(y)), {}, {}, {}, {}});
    });
    return result;
}

} // namespace pathmark::stack
